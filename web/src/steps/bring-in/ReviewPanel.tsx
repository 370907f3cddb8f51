import { Button, Checkbox, NativeSelect } from '@mantine/core';
import { useState } from 'react';
import { type Review, takeRevision, useReview } from '../../api/calls';
import { imageAddress, type Schemas } from '../../api/client';
import { count } from '../../ui/units';
import classes from './BringIn.module.css';
import { reviewPanel as words } from './words';

type Match = Schemas['Match'];
type LayerLook = Schemas['Look'];

const NEW = '';

interface Props {
  illustration: number;
  number: number;
  canEdit: boolean;
  onDone: () => void;
  onAside: () => void;
}

/** A revision beside the current one, layer by layer: confirmed or corrected, then taken in one step. */
export function ReviewPanel({ illustration, number, canEdit, onDone, onAside }: Props) {
  const review = useReview(illustration, number);
  const [pairs, setPairs] = useState<Record<string, string | null>>({});
  const [remove, setRemove] = useState<readonly string[]>([]);
  const [problem, setProblem] = useState<string | null>(null);
  const [isTaking, setTaking] = useState(false);
  if (!review.data) return <p role="alert">{review.error?.message ?? words.comparingTheRevision}</p>;
  const { matches, cut } = review.data;
  const lines = linesOf(review.data, pairs);
  const kept = matches.length - matches.filter((match) => match.changes[0] !== 'kept').length;
  const olds = matches.flatMap((match) => (match.old ? [match.old] : []));
  const take = async () => {
    setTaking(true);
    setProblem(null);
    // Every pair is sent as it is seen, so that what is taken is what was looked at.
    const seen = Object.fromEntries(matches.flatMap(({ new: now, old }) => (now ? [[now.id, old?.id ?? null]] : [])));
    const gone = new Set(lines.gone.flatMap((match) => Object.keys(match.parts)));
    try {
      await takeRevision(illustration, number, {
        pairs: { ...seen, ...pairs },
        remove: remove.filter((id) => gone.has(id)),
      });
      onDone();
    } catch (caught) {
      setProblem((caught as Error).message);
      setTaking(false);
    }
  };
  return (
    <section className={classes.review} aria-label={words.reviewOfRevision(number)}>
      <h3>{words.revisionNeedsYourReview(number)}</h3>
      <p>
        {kept > 0 && words.unchanged(kept)}
        {matches.length === kept && cut.length === 0 && words.noChanges}
      </p>
      {cut.map(({ old, name, frames }) => (
        <p key={old.id} className={classes.cut}>
          <Small illustration={illustration} look={old} />
          {words.n1PartBecomes(frames, name)}
        </p>
      ))}
      {lines.changed.length > 0 && (
        <Matches
          illustration={illustration}
          matches={lines.changed}
          olds={olds}
          canEdit={canEdit}
          onPair={(now, old) => setPairs((before) => corrected(review.data, before, now, old))}
        />
      )}
      {lines.gone.length > 0 && (
        <Gone illustration={illustration} matches={lines.gone} remove={remove} canEdit={canEdit} onRemove={setRemove} />
      )}
      <p role="alert">{problem}</p>
      {canEdit && (
        <div className={classes.actions}>
          <Button size="compact-md" loading={isTaking} onClick={take}>
            {words.acceptRevision(number)}
          </Button>
          <Button size="compact-md" variant="default" onClick={onAside}>
            {words.discardRevision(number)}
          </Button>
        </div>
      )}
    </section>
  );
}

/** The matches with what was corrected: a pair that is no longer one leaves an old layer that is gone. */
function linesOf(
  { matches }: Review,
  pairs: Readonly<Record<string, string | null>>,
): { changed: Match[]; gone: Match[] } {
  const byOld = new Map(matches.flatMap((match) => (match.old ? [[match.old.id, match] as const] : [])));
  const changed: Match[] = [];
  const used = new Set<string>();
  for (const match of matches) {
    if (!match.new) continue;
    const was = match.new.id in pairs ? pairs[match.new.id] : (match.old?.id ?? null);
    if (was) used.add(was);
    if (was === (match.old?.id ?? null)) {
      if (match.changes[0] !== 'kept') changed.push(match);
      continue;
    }
    const old = was ? (byOld.get(was)?.old ?? null) : null;
    changed.push({ ...match, old, changes: old ? ['repainted'] : ['new'], dx: 0, dy: 0 });
  }
  const gone = [...byOld.values()].filter((match) => match.old && !used.has(match.old.id));
  return { changed, gone };
}

/** A correction: an old layer is given to one new layer only, and taken from the one that had it. */
function corrected(
  { matches }: Review,
  before: Readonly<Record<string, string | null>>,
  now: string,
  was: string | null,
): Record<string, string | null> {
  const after = { ...before, [now]: was };
  for (const match of matches) {
    if (!match.new || match.new.id === now || was === null) continue;
    const held = match.new.id in after ? after[match.new.id] : (match.old?.id ?? null);
    if (held === was) after[match.new.id] = null;
  }
  return after;
}

function wordsOf(match: Match): string {
  return match.changes
    .map((change) =>
      change === 'moved'
        ? words.movedByPx(match.dx, match.dy)
        : change === 'renamed'
          ? words.renamedFrom(match.old?.path.at(-1))
          : change === 'regrouped'
            ? words.movedToAnotherGroup
            : change === 'laid otherwise'
              ? words.opacityOrBlendModeChanged
              : change === 'repainted'
                ? `repainted${sizesOf(match)}`
                : change,
    )
    .join(', ');
}

/** How large it was and is now, where that differs. */
function sizesOf({ old, new: now }: Match): string {
  const [before, after] = [old, now].map(
    (look) => look?.box && `${count(look.box[2] ?? 0)} × ${count(look.box[3] ?? 0)}`,
  );
  return before && after && before !== after ? words.resizedPx(before, after) : '';
}

function Small({ illustration, look }: { illustration: number; look: LayerLook | null }) {
  return (
    <span className={classes.small}>
      {look?.thumbnail && <img src={imageAddress(illustration, look.thumbnail)} alt="" loading="lazy" />}
    </span>
  );
}

type Lines = ReturnType<typeof linesOf>;

interface MatchesProps {
  illustration: number;
  matches: Lines['changed'];
  /** All layers that there were. */
  olds: readonly NonNullable<Lines['changed'][number]['old']>[];
  canEdit: boolean;
  onPair: (now: string, old: string | null) => void;
}

/** The layers that have changed, each with what it was before. */
function Matches({ illustration, matches, olds, canEdit, onPair }: MatchesProps) {
  return (
    <table className={classes.matches}>
      <thead>
        <tr>
          <th scope="col">{words.before}</th>
          <th scope="col">{words.after}</th>
          <th scope="col">{words.change}</th>
        </tr>
      </thead>
      <tbody>
        {matches.map((match) => (
          <tr key={match.new?.id}>
            <td>
              <Small illustration={illustration} look={match.old} />
            </td>
            <td>
              <Small illustration={illustration} look={match.new} />
            </td>
            <td>
              <strong>{match.new?.path.join(' / ')}</strong>
              <span className={classes.changes}>{wordsOf(match)}</span>
              {canEdit && match.new && (
                <NativeSelect
                  size="xs"
                  aria-label={words.whatWasBefore(match.new.path.join(' / '))}
                  value={match.old?.id ?? NEW}
                  data={[
                    { value: NEW, label: words.newPart },
                    ...olds.map((look) => ({ value: look.id, label: words.was(look.path.join(' / ')) })),
                  ]}
                  onChange={(event) => {
                    const { value } = event.currentTarget;
                    onPair(match.new?.id ?? '', value === NEW ? null : value);
                  }}
                />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface GoneProps {
  illustration: number;
  matches: Lines['gone'];
  /** The parts that are taken out with their layers. */
  remove: readonly string[];
  canEdit: boolean;
  onRemove: (parts: readonly string[]) => void;
}

function Gone({ illustration, matches, remove, canEdit, onRemove }: GoneProps) {
  return (
    <>
      <h3>{words.removedFromTheArt}</h3>
      <p>{words.thesePartsStayEmptyTick}</p>
      <ul className={classes.gone}>
        {matches.map((match) => (
          <li key={match.old?.id}>
            <Small illustration={illustration} look={match.old} />
            <span>
              {match.old?.path.join(' / ')}
              {Object.entries(match.parts).map(([id, name]) => (
                <Checkbox
                  key={id}
                  size="xs"
                  label={words.removePart(name)}
                  disabled={!canEdit}
                  checked={remove.includes(id)}
                  onChange={(event) => {
                    const { checked } = event.currentTarget;
                    onRemove(checked ? [...remove, id] : remove.filter((one) => one !== id));
                  }}
                />
              ))}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}
