import { Anchor, Center, Stack, Text } from '@mantine/core';
import { useState } from 'react';
import { Link, Navigate, useNavigate } from 'react-router';
import { isRunning, useIllustration, type WholeIllustration } from '../api/calls';
import { RefusedSteps } from '../ledger/RefusedSteps';
import { HowDialog } from '../steps/bring-in/HowDialog';
import { type Parcel, useBringIn } from '../steps/bring-in/useBringIn';
import { NamesDialog } from '../steps/put-in-order/NamesDialog';
import type { SignedIn } from '../ui/AccountMenu';
import { JobProgress } from '../ui/JobProgress';
import { useFileDrop } from '../ui/useFileDrop';
import { useFocusHere } from '../ui/useFocusHere';
import { Head } from './Head';
import { KeysList, useKeys } from './keys';
import { nextOf } from './next';
import { PanelEdge, usePanel } from './PanelEdge';
import { Picture } from './Picture';
import { StepPanel } from './StepPanel';
import { statesOf } from './states';
import { isStep, type StepName } from './steps';
import { type Bench, useBench } from './useBench';
import { Walk } from './Walk';
import classes from './Workspace.module.css';
import { workspace as words } from './words';

interface Props {
  illustration: number;
  step: string;
  user: SignedIn;
}

/** One illustration at one of the five steps; all of them share the pile and what is chosen. */
export function Workspace({ illustration, step, user }: Props) {
  const query = useIllustration(illustration);
  if (!isStep(step)) return <Navigate to={`/illustrations/${illustration}/put-in-order`} replace />;
  if (query.data?.state === 'ready') return <Opened illustration={query.data} step={step} user={user} />;
  const { job } = query.data ?? {};
  return (
    <Center component="main" h="100%" p="xl">
      <Stack w={420}>
        {query.error && <Text role="alert">{query.error.message}</Text>}
        {job && isRunning(job) && <JobProgress job={job} canCancel={query.data?.role !== 'viewer'} />}
        {job && !isRunning(job) && <Text role="alert">{job.error || words.thisPictureCouldNot}</Text>}
        <Anchor component={Link} to="/">
          {words.goToProjects}
        </Anchor>
      </Stack>
    </Center>
  );
}

function Opened({ illustration, step, user }: { illustration: WholeIllustration; step: StepName; user: SignedIn }) {
  const bench = useBench(illustration, step);
  const { view, findings, handing, trying } = bench;
  const history = historyOf(bench);
  const panel = usePanel(step);
  const main = useFocusHere<HTMLElement>(true);
  const [isListOpen, setListOpen] = useState(false);
  /** What is given names, and whether they come as a list. */
  const [naming, setNaming] = useState<{ rows: readonly string[]; isListed: boolean } | null>(null);
  useKeys();
  const bringing = useDroppedFiles(illustration, step === 'try-out' ? trying.send : undefined);
  const others = bench.here.filter((name) => name !== user.username);
  return (
    <div
      className={classes.workspace}
      data-panel={panel.isFolded ? 'folded' : 'open'}
      style={{ gridTemplateColumns: panel.columns }}
      {...bringing.handlers}
    >
      <a href="#main" className={classes.skip}>
        {words.skipToTheStep}
      </a>
      <title>{`${illustration.name} · Yuplet`}</title>
      <Head
        illustration={illustration}
        states={statesOf(illustration, view?.rows ?? [], findings.stops, handing, trying)}
        pages={bench.pages}
        findings={findings.count}
        onFindings={bench.lookOver}
        {...history}
        user={user}
        onKeys={() => setListOpen(true)}
      />
      <main ref={main} tabIndex={-1} id="main" className={classes.bench}>
        <section className={classes.panel} aria-label={words.step} hidden={panel.isFolded}>
          {bench.error && (
            <Text role="alert" p="sm">
              {bench.error.message}
            </Text>
          )}
          <RefusedSteps
            rows={view?.rows ?? []}
            refused={bench.refusals.refused}
            act={bench.act}
            onSettled={bench.refusals.settle}
          />
          <StepPanel bench={bench} onNames={(rows) => setNaming({ rows, isListed: true })} />
        </section>
        <PanelEdge panel={panel} />
        <Picture bench={bench} onNames={() => setNaming({ rows: bench.chosenIds, isListed: false })} />
      </main>
      <Walk illustration={illustration.id} />
      <footer className={classes.foot}>
        <span className={classes.next}>{nextOf(bench)}</span>
        <span role="status">
          {bringing.status ||
            (history.isSaving ? words.saving : history.view?.undo ? words.lastStep(history.view.undo) : '')}
        </span>
        {others.length > 0 && <span>{words.alsoHere(others.join(', '))}</span>}
      </footer>
      {bringing.dialog}
      {view && naming && (
        <NamesDialog
          illustration={illustration.id}
          view={view}
          chosen={naming.rows}
          isListed={naming.isListed}
          act={bench.act}
          onClose={() => setNaming(null)}
        />
      )}
      <KeysList isOpen={isListOpen} onClose={() => setListOpen(false)} />
    </div>
  );
}

/** The steps that undo is about: those on the motion while parts are moved, else those on the arrangement. */
function historyOf({ trying: { moving }, view, isSaving, undo, redo }: Bench) {
  if (!moving.isOn) return { view, isSaving, undo, redo };
  return { view: moving.motion ?? undefined, isSaving: moving.isSaving, undo: moving.undo, redo: moving.redo };
}

/** Files that are dropped on the workspace: revisions of what is open, or pictures of their own, unless the step takes them. */
function useDroppedFiles(illustration: WholeIllustration, take: ((files: readonly File[]) => void) | undefined) {
  const navigate = useNavigate();
  const { uploads, take: bringIn } = useBringIn(illustration.project);
  const [dropped, setDropped] = useState<readonly File[]>([]);
  const { handlers } = useFileDrop(illustration.role !== 'viewer', take ?? setDropped);
  const send = async (parcels: readonly Parcel[]) => {
    const isRevision = parcels.some((parcel) => parcel.revisionOf !== undefined);
    if ((await bringIn(parcels)) > 0) navigate(isRevision ? `/illustrations/${illustration.id}/bring-in` : '/');
  };
  const [sending] = uploads;
  return {
    handlers,
    status: sending ? words.uploading(sending.name, Math.round(sending.share * 100)) : '',
    dialog: dropped.length > 0 && (
      <HowDialog
        files={dropped}
        open={{ id: illustration.id, name: illustration.name }}
        onTake={send}
        onClose={() => setDropped([])}
      />
    ),
  };
}
