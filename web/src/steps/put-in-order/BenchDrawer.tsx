import { Button } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import type { Arrangement, Row } from '../../api/calls';
import { Refusal, type Schemas } from '../../api/client';
import { keepOnShelf, shelfKey } from '../../api/shelf';
import type { Act } from '../../ledger/useArrangement';
import { Thumbnail } from '../../ui/Thumbnail';
import classes from './BenchDrawer.module.css';
import { MakeMenu } from './MakeMenu';
import { OrderMenu } from './OrderMenu';
import { PictureMenu } from './PictureMenu';
import { PivotFields } from './PivotFields';
import { PlaceFields } from './PlaceFields';
import type { Ordering } from './useOrdering';
import { Key, Verbs } from './Verbs';
import { type Choice, choiceOf, groupVerb, makeVerbs, stateVerbs, type Verb } from './verbs';
import { benchDrawer as words } from './words';

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

/** What can be done to what is chosen, in plain verbs. */
export function BenchDrawer(props: Props) {
  const { illustration, view, chosen, canEdit, act, again, onPicture, onNames, ordering } = props;
  const { joints, beside, setBeside, isStripSeen, setStripSeen } = ordering;
  const keep = useKeeping(illustration);
  const choice = choiceOf(view, chosen);
  const { rows, only, alternates } = choice;
  const off = !canEdit || rows.length === 0;
  const part = only?.kind === 'part' ? only : undefined;
  const placed = only?.box ? only : undefined;
  const canSwap = part !== undefined && part.frames.length === 1 && !part.locked;
  return (
    <section className={classes.drawer} aria-label={words.actionsForTheSelection}>
      <div className={classes.head}>
        <p className={classes.chosen}>{canEdit ? <Chosen {...choice} /> : VIEWERS}</p>
        {!off && alternates && <Alternates illustration={illustration} view={view} set={alternates} act={act} />}
        <MakeMenu verbs={makeVerbs(view, choice)} off={off} act={act} />
        <PictureMenu row={only} off={!canEdit} canSwap={canSwap} onPicture={onPicture} onKeep={keep} />
        <Copies row={off ? undefined : part} again={again} />
        <PivotFields
          key={`pivot ${only?.id}`}
          row={part?.box ? part : undefined}
          off={off || !part?.box || part.locked}
          isOpen={joints.picking === 'pivot'}
          onOpen={(isOpen) => joints.setPicking(isOpen ? 'pivot' : null)}
          act={act}
          onMirror={() => part && again(part.id, { mirrored: true, about: 'pivot' })}
        />
        <PlaceFields key={only?.id} row={placed} off={off || (placed?.locked ?? false)} act={act} />
      </div>
      <Verbs verbs={stateVerbs(view, choice, canEdit)} act={act} />
      <Verbs verbs={[groupVerb(choice, canEdit), removeVerb(choice, off)]} act={act} />
      <span className={classes.gap} />
      <Button size="compact-sm" variant="default" disabled={!canEdit} aria-keyshortcuts="B" onClick={onNames}>
        {words.renameMany}
        <Key name="B" />
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        aria-pressed={isStripSeen}
        aria-keyshortcuts="T"
        title={words.allPartsAsSmallPictures}
        onClick={() => setStripSeen(!isStripSeen)}
      >
        {words.strip}
        <Key name="T" />
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
    </section>
  );
}

const VIEWERS = words.youCanLookAndDownload;

const removeVerb = ({ rows }: Choice, off: boolean): Verb => ({
  label: words.remove,
  shortcut: 'R',
  off,
  command: { do: 'remove-rows', rows: rows.map((row) => row.id) },
});

/** In words, what is chosen. */
function Chosen({ rows, first, only, parts }: Choice) {
  if (!first) return words.selectAPart;
  const groups = rows.filter((row) => row.kind === 'group').length;
  const several = [words.partCount(rows.length - groups), words.groupCount(groups)].filter(
    (one) => !one.startsWith('0 '),
  );
  return (
    <>
      <strong>{only ? only.name : several.join(', ')}</strong>
      {only?.kind === 'group' && <>{words.with(parts.length)}</>}
    </>
  );
}

/** Keep a part for other projects. */
function useKeeping(illustration: number) {
  const queries = useQueryClient();
  return async (row: Row) => {
    try {
      await keepOnShelf(illustration, 'part', '', row.id);
      notifications.show({ message: words.isOnYourShelfSets(row.name) });
      await queries.invalidateQueries({ queryKey: shelfKey });
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      notifications.show({ message: error.message, color: 'yellow' });
    }
  };
}

function Copies({ row, again }: { row: Row | undefined; again: Props['again'] }) {
  return (
    <>
      <Button
        size="compact-sm"
        variant="default"
        disabled={!row}
        aria-keyshortcuts="D"
        onClick={() => row && again(row.id, { mirrored: false, about: 'itself' })}
      >
        {words.duplicate}
        <Key name="D" />
      </Button>
      <Button
        size="compact-sm"
        variant="default"
        disabled={!row}
        aria-keyshortcuts="M"
        title={words.mirrorAcrossTheMiddle}
        onClick={() => row && again(row.id, { mirrored: true, about: 'middle' })}
      >
        {words.mirror}
        <Key name="M" />
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
    </>
  );
}

/** Number keys there are. */
const KEYS = 9;
