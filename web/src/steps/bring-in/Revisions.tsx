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
import { bytes } from '../../ui/units';
import classes from './BringIn.module.css';
import { ReviewPanel } from './ReviewPanel';

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
        number={waiting?.number}
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
          <p>
            Bring in a changed file as a new revision. Its layers are matched with the parts; nothing changes before
            your review.
          </p>
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
            {share === null ? 'Bring in a new revision' : `Sending, ${Math.round(share * 100)} %`}
          </Button>
        </>
      )}
      <h3>Kept</h3>
      <KeptRevisions illustration={id} current={current} revisions={others} />
      {canEdit && !waiting && current > 1 && (
        <Button size="compact-md" variant="default" onClick={() => attempt(() => goBack(id))}>
          Go back to previous revision
        </Button>
      )}
    </div>
  );
}

interface DiscardProps {
  number: number | undefined;
  isOpen: boolean;
  onDiscard: () => void;
  onClose: () => void;
}

function DiscardDialog({ number, isOpen, onDiscard, onClose }: DiscardProps) {
  return (
    <Modal
      opened={isOpen}
      onClose={onClose}
      title={`Discard revision ${number}?`}
      closeButtonProps={{ 'aria-label': 'Close' }}
    >
      <p>Its file is removed and cannot be restored. The parts stay unchanged.</p>
      <Group justify="flex-end">
        <Button variant="default" onClick={onClose} data-autofocus>
          Keep revision {number}
        </Button>
        <Button onClick={onDiscard}>Discard revision {number}</Button>
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
      <strong>Revision {number}</strong>
      {isRunning(job) ? (
        <JobProgress job={job} canCancel={canEdit} />
      ) : (
        <p>{job.error || 'Cancelled. Nothing was read.'}</p>
      )}
      {canEdit && !isRunning(job) && (
        <Button size="compact-sm" variant="default" onClick={onDiscard}>
          Discard revision {number}
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
          <strong>Revision {one.number}</strong>
          {one.number === current && ', current'}
          <br />
          {one.file_name}, {bytes(one.bytes)}, {one.width} × {one.height} px
          <br />
          {new Date(one.created_at).toLocaleString()}
          {one.created_by && ` by ${one.created_by}`} ·{' '}
          <a download href={`/api/illustrations/${illustration}/revisions/${one.number}/original`}>
            download
          </a>
        </li>
      ))}
    </ul>
  );
}
