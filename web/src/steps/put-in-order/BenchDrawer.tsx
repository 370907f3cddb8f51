import { Button } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import type { Arrangement, Row } from '../../api/calls';
import { Refusal, type Schemas } from '../../api/client';
import { keepOnShelf, shelfKey } from '../../api/shelf';
import type { Act } from '../../ledger/useArrangement';
import { type Direction, placesTowards } from '../../rules/commands';
import { Thumbnail } from '../../ui/Thumbnail';
import { plural } from '../../ui/units';
import classes from './BenchDrawer.module.css';
import { OrderMenu } from './OrderMenu';
import { PictureMenu } from './PictureMenu';
import { PivotFields } from './PivotFields';
import { PlaceFields } from './PlaceFields';
import type { Ordering } from './useOrdering';
import { Key, Verbs } from './Verbs';
import { type Choice, choiceOf, frameVerbs, stackVerbs, stateVerbs, type Verb } from './verbs';

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
export function BenchDrawer(props: Props) {
  const { illustration, view, chosen, canEdit, act, again, onPicture, onNames, ordering } = props;
  const { joints, beside, setBeside, isStripSeen, setStripSeen } = ordering;
  const keep = useKeeping(illustration);
  const choice = choiceOf(view, chosen);
  const { rows, only, alternates } = choice;
  const off = !canEdit || rows.length === 0;
  const canSwap = only?.kind === 'part' && only.frames.length === 1 && !only.locked;
  return (
    <section className={classes.drawer} aria-label="What to do with what is chosen">
      <div className={classes.head}>
        <p className={classes.chosen}>{canEdit ? <Chosen {...choice} /> : VIEWERS}</p>
        {canEdit && <PictureMenu row={only} canSwap={canSwap} onPicture={onPicture} onKeep={keep} />}
        {!off && <Verbs verbs={stackVerbs(view, choice)} act={act} />}
        {!off && alternates && <Alternates illustration={illustration} view={view} set={alternates} act={act} />}
        {!off && <Verbs verbs={frameVerbs(choice)} act={act} />}
        {!off && only?.kind === 'part' && <Copies row={only} again={again} />}
        {only?.kind === 'part' && only.box && (
          <PivotFields
            key={`pivot ${only.id}`}
            row={only}
            off={off || only.locked}
            isOpen={joints.picking === 'pivot'}
            onOpen={(isOpen) => joints.setPicking(isOpen ? 'pivot' : null)}
            act={act}
            onMirror={() => again(only.id, { mirrored: true, about: 'pivot' })}
          />
        )}
        {only?.box && <PlaceFields key={only.id} row={only} off={off || only.locked} act={act} />}
      </div>
      <Verbs verbs={stateVerbs(view, choice, canEdit)} act={act} />
      <Button size="compact-sm" variant="default" disabled={!canEdit} aria-keyshortcuts="B" onClick={onNames}>
        Names <Key name="B" />
      </Button>
      <Verbs verbs={[removeVerb(choice, off)]} act={act} />
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
        rows={[...rows]}
        chosen={chosen}
        canEdit={canEdit}
        act={act}
        beside={beside}
        onBeside={setBeside}
      />
      {DIRECTIONS.map(([direction, label, shortcut]) => {
        const places = off ? [] : placesTowards(view.rows, chosen, direction);
        const command = { do: 'move-rows' as const, places };
        return <Verbs key={direction} verbs={[{ label, shortcut, off: places.length === 0, command }]} act={act} />;
      })}
    </section>
  );
}

const VIEWERS = 'You may look and download; an editor may change things.';

const removeVerb = ({ rows }: Choice, off: boolean): Verb => ({
  label: 'Remove',
  shortcut: 'R',
  off,
  command: { do: 'remove-rows', rows: rows.map((row) => row.id) },
});

/** In words, what is chosen. */
function Chosen({ rows, first, only, parts }: Choice) {
  if (!first) return 'Choose a part on the picture or in the ledger. Enter renames it.';
  return (
    <>
      <strong>{only ? only.name : plural(rows.length, 'row')}</strong>
      {only?.kind === 'group' && <> with {plural(parts.length, 'part')}</>}
    </>
  );
}

/** Keep a part for other projects. */
function useKeeping(illustration: number) {
  const queries = useQueryClient();
  return async (row: Row) => {
    try {
      await keepOnShelf(illustration, 'part', '', row.id);
      notifications.show({ message: `${row.name} is on your shelf: Sets, For other projects.` });
      await queries.invalidateQueries({ queryKey: shelfKey });
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      notifications.show({ message: error.message, color: 'yellow' });
    }
  };
}

function Copies({ row, again }: { row: Row; again: Props['again'] }) {
  return (
    <>
      <Button
        size="compact-sm"
        variant="default"
        aria-keyshortcuts="D"
        onClick={() => again(row.id, { mirrored: false, about: 'itself' })}
      >
        Duplicate <Key name="D" />
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        aria-keyshortcuts="M"
        title="A mirror image across the middle of the canvas; left and right in its name change over"
        onClick={() => again(row.id, { mirrored: true, about: 'middle' })}
      >
        Mirror <Key name="M" />
      </Button>
    </>
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
          <Thumbnail className={classes.small} illustration={illustration} digest={row.thumbnail} />
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
