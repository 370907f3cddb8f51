import { Button } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import type { Arrangement, Row } from '../../api/calls';
import { imageAddress, Refusal, type Schemas } from '../../api/client';
import { keepOnShelf } from '../../api/shelf';
import type { Act } from '../../ledger/useArrangement';
import { type Direction, placesTowards } from '../../rules/commands';
import { within } from '../../rules/tree';
import { plural } from '../../ui/units';
import classes from './BenchDrawer.module.css';
import { OrderMenu } from './OrderMenu';
import { PictureMenu } from './PictureMenu';
import { PivotFields } from './PivotFields';
import { PlaceFields } from './PlaceFields';
import { SHELF } from './Shelf';
import type { Ordering } from './useOrdering';

interface Props {
  illustration: number;
  view: Arrangement;
  chosen: ReadonlySet<string>;
  canEdit: boolean;
  act: Act;
  /** A part once more, mirrored or not. */
  again: (row: string, how: Again) => void;
  /** A picture becomes a part, in front of a row, or takes the place of that row's own. */
  onPicture: (file: File, row: string | null, instead: boolean) => void;
  /** Many names at once. */
  onNames: () => void;
  ordering: Ordering;
}

export type Again = Pick<Schemas['DuplicatePart'], 'mirrored' | 'about'>;

const DIRECTIONS: readonly (readonly [Direction, string, string])[] = [
  ['nearer', 'Nearer', 'N'],
  ['farther', 'Farther', 'F'],
];

/** What can be done to what is chosen, in plain verbs. */
export function BenchDrawer({ illustration, view, chosen, canEdit, act, again, onPicture, onNames, ordering }: Props) {
  const { joints, beside, setBeside, isStripSeen, setStripSeen } = ordering;
  const queries = useQueryClient();
  const keep = async (row: Row) => {
    try {
      await keepOnShelf(illustration, 'part', '', row.id);
      notifications.show({ message: `${row.name} is on your shelf: Sets, For other projects.` });
      await queries.invalidateQueries({ queryKey: SHELF });
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      notifications.show({ message: error.message, color: 'yellow' });
    }
  };
  const rows = view.rows.filter((row) => chosen.has(row.id));
  const inside = new Set(rows.flatMap((row) => [...within(view.rows, row.id)]));
  const parts = view.rows.filter((row) => row.kind === 'part' && inside.has(row.id));
  const [first] = rows;
  const isShown = rows.some((row) => row.shown);
  const isIncluded = parts.some((row) => row.included);
  const isLocked = parts.some((row) => row.locked);
  const off = !canEdit || rows.length === 0;
  const animated = rows.length === 1 && first && first.frames.length > 1 ? first : null;
  const areGroups = rows.every((row) => row.kind === 'group');
  const canJoin = areGroups || (rows.length > 1 && rows.every((row) => row.group === first?.group));
  const inner = rows.length === 1 ? view.rows.filter((row) => row.kind === 'group' && row.group === first?.id) : [];
  const layered = rows.filter((row) => row.frames.length === 1 && (row.frames[0]?.pieces.length ?? 0) > 1);
  const set = view.rows.find(
    (row) => row.alternate !== null && rows.length === 1 && (row.id === first?.id || row.id === first?.group),
  );
  const areSiblings = rows.every((row) => row.group === first?.group);
  const isUngrouping = areGroups && rows.length === 1;
  // Alternates whose members are groups are looks.
  const isLooks = (rows.length > 1 ? rows : view.rows.filter((row) => row.group === first?.id)).every(
    (row) => row.kind === 'group',
  );
  const isStack = rows.length === 1 ? first?.kind === 'group' : rows.every((row) => row.group === first?.group);
  return (
    <section className={classes.drawer} aria-label="What to do with what is chosen">
      <div className={classes.head}>
        <p className={classes.chosen}>
          {!canEdit ? (
            'You may look and download; an editor may change things.'
          ) : first === undefined ? (
            <>Choose a part on the picture or in the ledger. Enter renames it.</>
          ) : (
            <>
              <strong>{rows.length === 1 ? first.name : plural(rows.length, 'row')}</strong>
              {first.kind === 'group' && rows.length === 1 && <> with {plural(parts.length, 'part')}</>}
            </>
          )}
        </p>
        {canEdit && (
          <PictureMenu
            row={rows.length === 1 ? first : undefined}
            canSwap={rows.length === 1 && first?.kind === 'part' && first.frames.length === 1 && !first.locked}
            onPicture={onPicture}
            onKeep={(row) => keep(row)}
          />
        )}
        {!off && canJoin && !set && (
          <Button
            size="compact-sm"
            variant="default"
            onClick={() => act({ do: 'join-rows', rows: rows.map((row) => row.id) })}
          >
            {rows.length > 1 && areGroups ? 'Make one part of each' : 'Make one part'}
          </Button>
        )}
        {!off && inner.length > 1 && !set && (
          <Button
            size="compact-sm"
            variant="default"
            title={`Each of the ${inner.length} groups in it becomes one part`}
            onClick={() => act({ do: 'join-rows', rows: inner.map((row) => row.id) })}
          >
            One part of each in it
          </Button>
        )}
        {!off && layered.length > 0 && (
          <Button
            size="compact-sm"
            variant="default"
            onClick={() => act({ do: 'split-parts', rows: layered.map((row) => row.id) })}
          >
            Split into layers
          </Button>
        )}
        {!off && areSiblings && !(isUngrouping && set) && (
          <Button
            size="compact-sm"
            variant="default"
            aria-keyshortcuts="G"
            onClick={() => act({ do: isUngrouping ? 'ungroup-rows' : 'group-rows', rows: rows.map((row) => row.id) })}
          >
            {isUngrouping ? 'Ungroup' : 'Group'} <Key name="G" />
          </Button>
        )}
        {!off && isStack && !set && (
          <Button
            size="compact-sm"
            variant="default"
            title="Exactly one of them is shown; each has a key"
            onClick={() => act({ do: 'make-alternates', rows: rows.map((row) => row.id) })}
          >
            {isLooks ? 'Make looks' : 'One at a time'}
          </Button>
        )}
        {!off && set && <Alternates illustration={illustration} view={view} set={set} act={act} />}
        {!off && isStack && !set && (
          <Button
            size="compact-sm"
            variant="default"
            onClick={() => act({ do: 'read-as-frames', rows: rows.map((row) => row.id) })}
          >
            Read as frames
          </Button>
        )}
        {!off && animated && (
          <Button
            size="compact-sm"
            variant="default"
            aria-label="Read frames as parts"
            onClick={() => act({ do: 'read-as-parts', row: animated.id })}
          >
            Frames as parts
          </Button>
        )}
        {rows.length === 1 && first?.kind === 'part' && !off && (
          <>
            <Button
              size="compact-sm"
              variant="default"
              aria-keyshortcuts="D"
              onClick={() => again(first.id, { mirrored: false, about: 'itself' })}
            >
              Duplicate <Key name="D" />
            </Button>
            <Button
              size="compact-sm"
              variant="default"
              aria-keyshortcuts="M"
              title="A mirror image across the middle of the canvas; left and right in its name change over"
              onClick={() => again(first.id, { mirrored: true, about: 'middle' })}
            >
              Mirror <Key name="M" />
            </Button>
          </>
        )}
        {rows.length === 1 && first?.kind === 'part' && first.box && (
          <PivotFields
            key={`pivot ${first.id}`}
            row={first}
            off={off || first.locked}
            isOpen={joints.picking === 'pivot'}
            onOpen={(isOpen) => joints.setPicking(isOpen ? 'pivot' : null)}
            act={act}
            onMirror={() => again(first.id, { mirrored: true, about: 'pivot' })}
          />
        )}
        {rows.length === 1 && first?.box && (
          <PlaceFields key={first.id} row={first} off={off || first.locked} act={act} />
        )}
      </div>
      <Button
        size="compact-sm"
        variant="default"
        disabled={off}
        aria-keyshortcuts="S"
        onClick={() => act({ do: 'show-rows', shown: Object.fromEntries(rows.map((row) => [row.id, !isShown])) })}
      >
        {isShown || off ? 'Hide' : 'Show'} <Key name="S" />
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        disabled={!canEdit || (view.alone === null && rows.length !== 1)}
        aria-keyshortcuts="A"
        onClick={() => act({ do: 'show-alone', row: view.alone === null ? (first?.id ?? null) : null })}
      >
        {view.alone === null ? 'Show alone' : 'Show all again'} <Key name="A" />
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        disabled={off || parts.length === 0}
        aria-keyshortcuts="I"
        onClick={() =>
          act({ do: 'include-parts', included: Object.fromEntries(parts.map((row) => [row.id, !isIncluded])) })
        }
      >
        {isIncluded || off ? 'Leave out' : 'Include'} <Key name="I" />
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        disabled={off || parts.length === 0}
        aria-keyshortcuts="K"
        onClick={() => act({ do: 'lock-parts', locked: Object.fromEntries(parts.map((row) => [row.id, !isLocked])) })}
      >
        {isLocked ? 'Unlock' : 'Lock'} <Key name="K" />
      </Button>
      <Button size="compact-sm" variant="default" disabled={!canEdit} aria-keyshortcuts="B" onClick={onNames}>
        Names <Key name="B" />
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        disabled={off}
        aria-keyshortcuts="R"
        onClick={() => act({ do: 'remove-rows', rows: rows.map((row) => row.id) })}
      >
        Remove <Key name="R" />
      </Button>
      <span className={classes.gap} />
      <Button
        size="compact-sm"
        variant={isStripSeen ? 'filled' : 'default'}
        aria-pressed={isStripSeen}
        aria-keyshortcuts="T"
        title="All parts as small pictures, from the back to the front"
        onClick={() => setStripSeen(!isStripSeen)}
      >
        Strip <Key name="T" />
      </Button>
      <OrderMenu
        view={view}
        rows={rows}
        chosen={chosen}
        canEdit={canEdit}
        act={act}
        beside={beside}
        onBeside={setBeside}
      />
      {DIRECTIONS.map(([direction, label, key]) => {
        const places = off ? [] : placesTowards(view.rows, chosen, direction);
        return (
          <Button
            key={direction}
            size="compact-sm"
            variant="default"
            disabled={places.length === 0}
            aria-keyshortcuts={key}
            onClick={() => act({ do: 'move-rows', places })}
          >
            {label} <Key name={key} />
          </Button>
        );
      })}
    </section>
  );
}

/** The members of a set of alternates, each with its key; the one that is shown is marked. */
function Alternates({ illustration, view, set, act }: Pick<Props, 'illustration' | 'view' | 'act'> & { set: Row }) {
  const members = view.rows.filter((row) => row.group === set.id);
  return (
    <>
      {members.slice(0, KEYS).map((row, at) => (
        <Button
          key={row.id}
          size="compact-sm"
          px={6}
          variant={row.shown ? 'filled' : 'default'}
          aria-label={`${at + 1}: ${row.name}`}
          title={row.name}
          aria-pressed={row.shown}
          aria-keyshortcuts={String(at + 1)}
          onClick={() => !row.shown && act({ do: 'show-rows', shown: { [row.id]: true } })}
        >
          {row.thumbnail && <img className={classes.small} src={imageAddress(illustration, row.thumbnail)} alt="" />}
          {at + 1}
        </Button>
      ))}
      <Button size="compact-sm" variant="subtle" onClick={() => act({ do: 'end-alternates', row: set.id })}>
        Not one at a time
      </Button>
    </>
  );
}

/** Number keys there are. */
const KEYS = 9;

function Key({ name }: { name: string }) {
  return (
    <span className={classes.key} aria-hidden="true">
      {name}
    </span>
  );
}
