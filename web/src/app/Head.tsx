import { Button } from '@mantine/core';
import { Link } from 'react-router';
import type { Arrangement, WholeIllustration } from '../api/calls';
import { AccountMenu, type SignedIn } from '../ui/AccountMenu';
import { Wordmark } from '../ui/Wordmark';
import { Line } from './Line';
import type { StepName } from './steps';
import classes from './Workspace.module.css';
import { head as words } from './words';

interface Props {
  illustration: WholeIllustration;
  states: Record<StepName, string>;
  pages: Partial<Record<StepName, string>>;
  /** What can be undone and done again, each by its name. */
  view: Pick<Arrangement, 'undo' | 'redo'> | undefined;
  isSaving: boolean;
  user: SignedIn;
  undo: () => void;
  redo: () => void;
  onKeys: () => void;
  /** How many findings ask for something, and how they are seen. */
  findings: number;
  onFindings: () => void;
}

/** Where one is, the five steps, and what can be taken back. */
export function Head({
  illustration,
  states,
  pages,
  view,
  isSaving,
  user,
  undo,
  redo,
  onKeys,
  findings,
  onFindings,
}: Props) {
  return (
    <header className={classes.head}>
      <Link to="/" className={classes.home} aria-label={words.yupletAllProjects}>
        <Wordmark />
      </Link>
      <h1 className={classes.title} title={`${illustration.project_name}: ${illustration.name}`}>
        <span className={classes.project}>{illustration.project_name}</span>
        {illustration.name}
      </h1>
      <Line illustration={illustration.id} states={states} pages={pages} />
      <div className={classes.steps}>
        <Button size="compact-sm" variant="default" data-any={findings > 0 || undefined} onClick={onFindings}>
          {findings > 0 ? words.findingCount(findings) : words.findings}
        </Button>
        <Button
          size="compact-sm"
          variant="default"
          disabled={!view?.undo && !isSaving}
          onClick={undo}
          aria-keyshortcuts="Control+Z"
          title={view?.undo ?? words.nothingToUndo}
        >
          {words.undo}
        </Button>
        <Button
          size="compact-sm"
          variant="default"
          disabled={!view?.redo}
          onClick={redo}
          aria-keyshortcuts="Control+Shift+Z"
          title={view?.redo ?? words.nothingToRedo}
        >
          {words.redo}
        </Button>
        <Button size="compact-sm" variant="default" onClick={onKeys} aria-keyshortcuts="?">
          {words.keys}
        </Button>
        <AccountMenu user={user} />
      </div>
    </header>
  );
}
