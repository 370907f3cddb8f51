import { Button, NumberInput, Text } from '@mantine/core';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { type Illustration, isRunning, type Project, removeIllustration, useIllustrations } from '../../api/calls';
import { imageAddress } from '../../api/client';
import { JobProgress } from '../../ui/JobProgress';
import { bytes } from '../../ui/units';
import { useFileDrop } from '../../ui/useFileDrop';
import classes from './ProjectsPage.module.css';
import { useBringIn } from './useBringIn';

/** The illustrations of a project, and the place where new ones are dropped. */
export function Illustrations({ project }: { project: Project }) {
  const illustrations = useIllustrations(project.id);
  const input = useRef<HTMLInputElement>(null);
  const canEdit = project.role !== 'viewer';
  const [longest, setLongest] = useState<number | null>(null);
  const { uploads, take, refresh } = useBringIn(project.id, longest);
  const { isOver, handlers } = useFileDrop(canEdit, (files) => void take(files));
  const remove = async (illustration: Illustration) => {
    await removeIllustration(illustration.id);
    await refresh();
  };

  return (
    <div className={isOver ? classes.shelfOver : classes.shelf} {...handlers}>
      {illustrations.data?.map((illustration) => (
        <Card
          key={illustration.id}
          illustration={illustration}
          canEdit={canEdit}
          onRemove={() => remove(illustration)}
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
          <Text>Drop a picture here</Text>
          <Text size="sm" c="dimmed">
            OpenRaster (.ora) or SVG with layers and groups; PNG, JPEG, WebP, TIFF, GIF, AVIF. Up to 2 GiB and 250
            million pixels.
          </Text>
          <input
            ref={input}
            type="file"
            hidden
            multiple
            accept=".ora,.svg,image/openraster,image/svg+xml,image/png,image/jpeg,image/webp,image/tiff,image/gif,image/avif"
            onChange={(event) => {
              void take([...(event.currentTarget.files ?? [])]);
              event.currentTarget.value = '';
            }}
          />
          <Button onClick={() => input.current?.click()}>Bring in a picture</Button>
          <NumberInput
            size="xs"
            w={230}
            label="Longer side of vector art, px"
            placeholder="as the file says, at 96 ppi"
            min={1}
            max={30_000}
            allowDecimal={false}
            value={longest ?? ''}
            onChange={(value) => setLongest(typeof value === 'number' ? value : null)}
          />
        </div>
      )}
    </div>
  );
}

function Card({
  illustration,
  canEdit,
  onRemove,
}: {
  illustration: Illustration;
  canEdit: boolean;
  onRemove: () => void;
}) {
  const { job } = illustration;
  if (illustration.state === 'ready') {
    return (
      <Link
        to={`/illustrations/${illustration.id}/put-in-order`}
        className={classes.card}
        aria-label={illustration.name}
      >
        <span className={classes.preview}>
          <img src={imageAddress(illustration.id, illustration.preview ?? '')} alt="" />
        </span>
        <strong>{illustration.name}</strong>
        <span className={classes.facts}>
          {illustration.width} × {illustration.height} px, {bytes(illustration.bytes)}
        </span>
      </Link>
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
        <Button size="compact-sm" variant="default" onClick={onRemove}>
          Remove
        </Button>
      )}
    </div>
  );
}
