import { Button, Group, Modal } from '@mantine/core';
import { useRef, useState } from 'react';
import {
  bringInRevision,
  discardRevision,
  goBack,
  isRunning,
  useRevisions,
  type WholeIllustration,
} from '../../api/calls';
import { JobProgress } from '../../ui/JobProgress';
import { moment } from '../../ui/units';
import classes from './BringIn.module.css';
import { ReviewPanel } from './ReviewPanel';
import { revisions as words } from './words';

interface Props {
  illustration: WholeIllustration;
  canEdit: boolean;
  onChanged: () => void;
}

/** Every state of the art that was brought in; the next one is reviewed here before anything changes. */
export function Revisions({ illustration, canEdit, onChanged }: Props) {
  const { id, revision: current, waiting } = illustration;
  const input = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [isDiscarding, setDiscarding] = useState(false);
  const revisions = useRevisions(id, current, `${waiting?.number} ${waiting?.state}`);
  const attempt = async (what: () => Promise<unknown>) => {
    setProblem(null);
    try {
      await what();
    } catch (caught) {
      setProblem((caught as Error).message);
    }
    setShare(null);
    onChanged();
  };
  const discard = async () => {
    setDiscarding(false);
    if (waiting) await attempt(() => discardRevision(id, waiting.number));
  };
  const others = revisions.data?.filter((one) => one.number !== waiting?.number) ?? [];
  return (
    <div className={classes.form}>
      <p role="alert">{problem}</p>
      <DiscardDialog
        number={waiting?.number ?? 0}
        isOpen={isDiscarding && waiting !== null}
        onDiscard={discard}
        onClose={() => setDiscarding(false)}
      />
      {waiting?.state === 'review' && (
        <ReviewPanel
          key={waiting.number}
          illustration={id}
          number={waiting.number}
          canEdit={canEdit}
          onDone={onChanged}
          onAside={() => setDiscarding(true)}
        />
      )}
      {waiting?.state === 'reading' && waiting.job && (
        <Reading
          number={waiting.number}
          job={waiting.job}
          canEdit={canEdit}
          onDiscard={() => attempt(() => discardRevision(id, waiting.number))}
        />
      )}
      {!waiting && canEdit && (
        <>
          <p>{words.bringInAChangedFile}</p>
          <input
            ref={input}
            type="file"
            hidden
            data-testid="revision-file"
            onChange={(event) => {
              const files = [...(event.currentTarget.files ?? [])];
              event.currentTarget.value = '';
              if (files.length) void attempt(() => bringInRevision(id, { files }, setShare));
            }}
          />
          <Button size="compact-md" disabled={share !== null} onClick={() => input.current?.click()}>
            {share === null ? words.bringInANewRevision : words.sending(Math.round(share * 100))}
          </Button>
        </>
      )}
      <h3>{words.kept}</h3>
      <KeptRevisions illustration={id} current={current} revisions={others} />
      {canEdit && !waiting && current > 1 && (
        <Button size="compact-md" variant="default" onClick={() => attempt(() => goBack(id))}>
          {words.goBackToPreviousRevision}
        </Button>
      )}
    </div>
  );
}

interface DiscardProps {
  number: number;
  isOpen: boolean;
  onDiscard: () => void;
  onClose: () => void;
}

function DiscardDialog({ number, isOpen, onDiscard, onClose }: DiscardProps) {
  return (
    <Modal
      opened={isOpen}
      onClose={onClose}
      title={words.discardRevision(number)}
      closeButtonProps={{ 'aria-label': words.close }}
    >
      <p>{words.itsFileIsRemoved}</p>
      <Group justify="flex-end">
        <Button variant="default" onClick={onClose} data-autofocus>
          {words.keepRevision(number)}
        </Button>
        <Button onClick={onDiscard}>{words.discardRevisionNumber(number)}</Button>
      </Group>
    </Modal>
  );
}

interface ReadingProps {
  number: number;
  job: NonNullable<Parameters<typeof isRunning>[0]>;
  canEdit: boolean;
  onDiscard: () => void;
}

/** A revision that is being read, or was not. */
function Reading({ number, job, canEdit, onDiscard }: ReadingProps) {
  return (
    <div className={classes.waiting}>
      <strong>{words.revision(number)}</strong>
      {isRunning(job) ? (
        <JobProgress job={job} canCancel={canEdit} />
      ) : (
        <p>{job.error || words.cancelledNothingWasRead}</p>
      )}
      {canEdit && !isRunning(job) && (
        <Button size="compact-sm" variant="default" onClick={onDiscard}>
          {words.discardRevisionNumber(number)}
        </Button>
      )}
    </div>
  );
}

interface KeptProps {
  illustration: number;
  current: number;
  revisions: NonNullable<ReturnType<typeof useRevisions>['data']>;
}

function KeptRevisions({ illustration, current, revisions }: KeptProps) {
  return (
    <ul className={classes.revisions}>
      {revisions.map((one) => (
        <li key={one.number}>
          <strong>{words.revision(one.number)}</strong>
          {one.number === current && words.isCurrent}
          <br />
          {words.px(one.file_name, one.bytes, one.width, one.height)}
          <br />
          {moment(one.created_at)}
          {one.created_by && words.by(one.created_by)} ·{' '}
          <a download href={`/api/illustrations/${illustration}/revisions/${one.number}/original`}>
            {words.download}
          </a>
        </li>
      ))}
    </ul>
  );
}
