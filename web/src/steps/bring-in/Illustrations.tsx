import { Button, Group, Menu, NativeSelect, Text, TextInput } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import {
  duplicateIllustration,
  type Illustration,
  isRunning,
  type Project,
  removeIllustration,
  renameIllustration,
  tryAgain,
  useIllustrations,
} from '../../api/calls';
import { imageAddress } from '../../api/client';
import { JobProgress } from '../../ui/JobProgress';
import { day } from '../../ui/units';
import { useFileDrop } from '../../ui/useFileDrop';
import { useWalk } from '../../ui/useWalk';
import { tellRemoved } from './Bin';
import { HowDialog, mustAsk } from './HowDialog';
import { MoveDialog } from './MoveDialog';
import { NameDialog } from './NameDialog';
import classes from './ProjectsPage.module.css';
import { type Parcel, useBringIn } from './useBringIn';
import { saidOf, VectorSize, type VectorSizes } from './VectorSize';
import { illustrations as words } from './words';

/** Up to so many pixels a side a picture is shown larger, its pixels square. */
const SMALL = 125;

/** From so many illustrations on they are searched and sorted. */
const MANY = 5;

type Sorting = 'newest' | 'name';

const SORTINGS = [
  { value: 'newest', label: words.newestFirst },
  { value: 'name', label: words.byName },
];

/** Those with a text in their names or files, in the order that is wanted. */
function listed(all: readonly Illustration[], search: string, sorting: Sorting): Illustration[] {
  const wanted = search.trim().toLowerCase();
  const found = all.filter(({ name, file_name }) => `${name} ${file_name}`.toLowerCase().includes(wanted));
  return found.sort((one, other) =>
    sorting === 'name'
      ? one.name.localeCompare(other.name, 'en', { numeric: true })
      : other.created_at.localeCompare(one.created_at) || other.id - one.id,
  );
}

/** The three ways in which art becomes parts. */
function Ways() {
  return (
    <ol className={classes.ways}>
      <li>{words.aFileWithLayersThey}</li>
      <li>{words.aFlatPictureItsParts}</li>
      <li>{words.looseImagesWithAPicture}</li>
    </ol>
  );
}

/** The illustrations of a project, and the place where new ones are dropped. */
export function Illustrations({ project }: { project: Project }) {
  const illustrations = useIllustrations(project.id);
  const input = useRef<HTMLInputElement>(null);
  const canEdit = project.role !== 'viewer';
  const [sizes, setSizes] = useState<VectorSizes>({ longest: '', ppi: '' });
  const [asked, setAsked] = useState<readonly File[]>([]);
  const [search, setSearch] = useState('');
  const [sorting, setSorting] = useState<Sorting>('newest');
  const [renaming, setRenaming] = useState<Illustration | null>(null);
  const [moving, setMoving] = useState<Illustration | null>(null);
  const walk = useWalk();
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

  const all = illustrations.data ?? [];
  const demo = all.find((one) => one.state === 'ready' && one.name === 'Brindle');
  // Few have no fields to search and sort them by, whatever was there while they were many.
  const found = all.length < MANY ? listed(all, '', 'newest') : listed(all, search, sorting);
  return (
    <>
      {all.length >= MANY && (
        <Group gap="xs" mt="xs">
          <TextInput
            size="xs"
            aria-label={words.findAnIllustrationIn(project.name)}
            placeholder={words.findIllustration}
            value={search}
            onChange={(event) => setSearch(event.currentTarget.value)}
          />
          <NativeSelect
            size="xs"
            aria-label={words.orderOfTheIllustrationsIn(project.name)}
            data={SORTINGS}
            value={sorting}
            onChange={(event) => setSorting(event.currentTarget.value as Sorting)}
          />
        </Group>
      )}
      <div className={isOver ? classes.shelfOver : classes.shelf} {...handlers}>
        {canEdit && (
          <div className={classes.drop}>
            <Text>{words.dropAPictureHere}</Text>
            <Text size="sm" c="dimmed">
              {words.openrasterOraSvgOrOpenexr}
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
            <Button onClick={() => input.current?.click()}>{words.bringInAPicture}</Button>
            {illustrations.data?.length === 0 && <Ways />}
            {demo && (
              <Button size="compact-sm" variant="default" onClick={() => walk(demo.id)}>
                {words.newHereWalkThroughBrindle}
              </Button>
            )}
            <div className={classes.vector}>
              <VectorSize sizes={sizes} onChange={setSizes} />
            </div>
          </div>
        )}
        {uploads.map((upload) => (
          <div key={upload.name} className={classes.card} role="status">
            <Text fw={600}>{upload.name}</Text>
            <Text size="sm">{words.uploading(Math.round(upload.share * 100))}</Text>
          </div>
        ))}
        {found.map((illustration) => (
          <Card
            key={illustration.id}
            illustration={illustration}
            canEdit={canEdit}
            onRename={() => setRenaming(illustration)}
            onDuplicate={() => attempt(() => duplicateIllustration(illustration.id))}
            onMove={() => setMoving(illustration)}
            onRemove={() => remove(illustration)}
            onTryAgain={() => attempt(() => tryAgain(illustration.id))}
          />
        ))}
        {all.length > 0 && found.length === 0 && <Text>{words.noIllustrationContains(search)}</Text>}
        {asked.length > 0 && <HowDialog files={asked} onTake={send} onClose={() => setAsked([])} />}
      </div>
      {moving && <MoveDialog illustration={moving} project={project.id} onClose={() => setMoving(null)} />}
      {renaming && (
        <NameDialog
          title={words.renameIllustration}
          action={words.rename}
          name={renaming.name}
          onName={async (name) => {
            await renameIllustration(renaming.id, name);
            await refresh();
          }}
          onClose={() => setRenaming(null)}
        />
      )}
    </>
  );
}

function Card({
  illustration,
  canEdit,
  onRename,
  onDuplicate,
  onMove,
  onRemove,
  onTryAgain,
}: {
  illustration: Illustration;
  canEdit: boolean;
  onRename: () => void;
  onDuplicate: () => void;
  onMove: () => void;
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
            {words.px(endingOf(illustration.file_name), illustration.width, illustration.height, illustration.bytes)}
            <br />
            {day(illustration.created_at)}
          </span>
        </Link>
        {canEdit && (
          <Menu position="bottom-end">
            <Menu.Target>
              <Button
                size="compact-xs"
                variant="subtle"
                className={classes.corner}
                aria-label={words.moreFor(illustration.name)}
              >
                ⋯
              </Button>
            </Menu.Target>
            <Menu.Dropdown>
              <Menu.Item onClick={onRename}>{words.rename}</Menu.Item>
              <Menu.Item onClick={onDuplicate}>{words.duplicate}</Menu.Item>
              <Menu.Item onClick={onMove}>{words.moveToAnotherProject}</Menu.Item>
              <Menu.Item onClick={onRemove}>{words.remove}</Menu.Item>
            </Menu.Dropdown>
          </Menu>
        )}
      </div>
    );
  }
  return (
    <div className={classes.card}>
      <Text fw={600}>{illustration.file_name}</Text>
      {job && isRunning(job) && <JobProgress job={job} canCancel={canEdit} />}
      {job?.state === 'cancelled' && <Text size="sm">{words.cancelledNothingWasRead}</Text>}
      {job?.state === 'failed' && (
        <Text size="sm" role="alert" className={classes.problem}>
          {job.error}
        </Text>
      )}
      {canEdit && !isRunning(job) && (
        <Group gap="xs">
          <Button size="compact-sm" variant="default" onClick={onTryAgain}>
            {words.tryAgain}
          </Button>
          <Button size="compact-sm" variant="default" onClick={onRemove}>
            {words.remove}
          </Button>
        </Group>
      )}
    </div>
  );
}

/** The kind of file that somebody brought in, as its name tells; nothing where a name has no ending. */
const endingOf = (name: string): string => /\.([a-z0-9]{2,5})$/i.exec(name)?.[1]?.toUpperCase() ?? '';
