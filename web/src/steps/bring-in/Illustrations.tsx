import { Button, Group, Text } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import {
  type Illustration,
  isRunning,
  type Project,
  removeIllustration,
  tryAgain,
  useIllustrations,
} from '../../api/calls';
import { imageAddress } from '../../api/client';
import { JobProgress } from '../../ui/JobProgress';
import { bytes } from '../../ui/units';
import { useFileDrop } from '../../ui/useFileDrop';
import { tellRemoved } from './Bin';
import { HowDialog, mustAsk } from './HowDialog';
import classes from './ProjectsPage.module.css';
import { type Parcel, useBringIn } from './useBringIn';
import { saidOf, VectorSize, type VectorSizes } from './VectorSize';

/** Up to so many pixels a side a picture is shown larger, its pixels square. */
const SMALL = 125;

/** The illustrations of a project, and the place where new ones are dropped. */
export function Illustrations({ project }: { project: Project }) {
  const illustrations = useIllustrations(project.id);
  const input = useRef<HTMLInputElement>(null);
  const canEdit = project.role !== 'viewer';
  const [sizes, setSizes] = useState<VectorSizes>({ longest: '', ppi: '' });
  const [asked, setAsked] = useState<readonly File[]>([]);
  const { uploads, take, refresh } = useBringIn(project.id);
  const send = (parcels: readonly Parcel[]) => {
    void take(parcels.map((parcel) => ({ ...parcel, choices: { ...saidOf(sizes), ...parcel.choices } })));
  };
  const choose = (files: readonly File[]) => {
    if (mustAsk(files, undefined)) setAsked(files);
    else send(files.map((file) => ({ files: [file] })));
  };
  const { isOver, handlers } = useFileDrop(canEdit, choose);
  const attempt = async (what: () => Promise<unknown>) => {
    try {
      await what();
    } catch (problem) {
      notifications.show({ color: 'red', message: (problem as Error).message });
    }
    await refresh();
  };
  const remove = (illustration: Illustration) =>
    attempt(async () => {
      await removeIllustration(illustration.id);
      tellRemoved(illustration.name);
    });

  return (
    <div className={isOver ? classes.shelfOver : classes.shelf} {...handlers}>
      {illustrations.data?.map((illustration) => (
        <Card
          key={illustration.id}
          illustration={illustration}
          canEdit={canEdit}
          onRemove={() => remove(illustration)}
          onTryAgain={() => attempt(() => tryAgain(illustration.id))}
        />
      ))}
      {uploads.map((upload) => (
        <div key={upload.name} className={classes.card} role="status">
          <Text fw={600}>{upload.name}</Text>
          <Text size="sm">Sending, {Math.round(upload.share * 100)} %</Text>
        </div>
      ))}
      {canEdit && (
        <div className={classes.drop}>
          <Text>Drop a picture here, or several that belong together</Text>
          <Text size="sm" c="dimmed">
            OpenRaster (.ora), SVG or OpenEXR with layers and groups; PNG, JPEG, WebP, TIFF, GIF, AVIF, animated or not;
            a ZIP of them, or a package handed over earlier. Up to 2 GiB, 250 million pixels and 2,000 layers.
          </Text>
          <input
            ref={input}
            type="file"
            hidden
            multiple
            data-testid="picture-file"
            accept=".ora,.svg,.svgz,.zip,image/openraster,image/svg+xml,image/png,image/jpeg,image/webp,image/tiff,image/gif,image/avif"
            onChange={(event) => {
              const files = [...(event.currentTarget.files ?? [])];
              event.currentTarget.value = '';
              if (files.length) choose(files);
            }}
          />
          <Button onClick={() => input.current?.click()}>Bring in a picture</Button>
          <div className={classes.vector}>
            <VectorSize sizes={sizes} onChange={setSizes} />
          </div>
        </div>
      )}
      {asked.length > 0 && <HowDialog files={asked} onTake={send} onClose={() => setAsked([])} />}
    </div>
  );
}

function Card({
  illustration,
  canEdit,
  onRemove,
  onTryAgain,
}: {
  illustration: Illustration;
  canEdit: boolean;
  onRemove: () => void;
  onTryAgain: () => void;
}) {
  const { job } = illustration;
  if (illustration.state === 'ready') {
    return (
      <div className={classes.card}>
        <Link to={`/illustrations/${illustration.id}/put-in-order`} className={classes.open}>
          <span className={classes.preview}>
            <img
              className={
                (illustration.width ?? 0) <= SMALL && (illustration.height ?? 0) <= SMALL ? classes.tiny : undefined
              }
              src={imageAddress(illustration.id, illustration.preview ?? '')}
              alt=""
            />
          </span>
          <strong>{illustration.name}</strong>
          <span className={classes.facts}>
            {illustration.width} × {illustration.height} px, {bytes(illustration.bytes)}
          </span>
        </Link>
        {canEdit && (
          <Button
            size="compact-xs"
            variant="subtle"
            className={classes.corner}
            aria-label={`Remove ${illustration.name}`}
            onClick={onRemove}
          >
            Remove
          </Button>
        )}
      </div>
    );
  }
  return (
    <div className={classes.card}>
      <Text fw={600}>{illustration.file_name}</Text>
      {job && isRunning(job) && <JobProgress job={job} canCancel={canEdit} />}
      {job?.state === 'cancelled' && <Text size="sm">Cancelled. Nothing of it was read.</Text>}
      {job?.state === 'failed' && (
        <Text size="sm" role="alert" className={classes.problem}>
          {job.error}
        </Text>
      )}
      {canEdit && !isRunning(job) && (
        <Group gap="xs">
          <Button size="compact-sm" variant="default" onClick={onTryAgain}>
            Try again
          </Button>
          <Button size="compact-sm" variant="default" onClick={onRemove}>
            Remove
          </Button>
        </Group>
      )}
    </div>
  );
}
