import { Button, Modal, NativeSelect } from '@mantine/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Arrangement } from '../../api/calls';
import type { Schemas } from '../../api/client';
import { askNames } from '../../api/questions';
import type { Act } from '../../ledger/useArrangement';
import { within } from '../../rules/tree';
import { Thumbnail } from '../../ui/Thumbnail';
import { NameChangeFields } from './NameChangeFields';
import classes from './NamesDialog.module.css';
import { namesDialog as words } from './words';

type Change = Schemas['NameChangeRequest'];
type Kind = Change['do'];

interface Props {
  illustration: number;
  view: Arrangement;
  /** In the order in which they were chosen. */
  chosen: readonly string[];
  /** Whether the names are given as a list at first. */
  isListed: boolean;
  act: Act;
  onClose: () => void;
}

const KINDS: readonly { value: Kind; label: string }[] = [
  { value: 'replace', label: words.findAndReplace },
  { value: 'letter-case', label: words.letterCase },
  { value: 'add', label: words.addPrefixOrSuffix },
  { value: 'take-away', label: words.removePrefixOrSuffix },
  { value: 'without-numbers', label: words.removeNumbers },
  { value: 'number', label: words.number },
  { value: 'listed', label: words.namesFromAList },
  { value: 'from-layers', label: words.namesFromTheLayers },
];
const FIRST: Record<Kind, Change> = {
  replace: { do: 'replace', find: '', by: '', matching: 'text', as_written: true },
  'letter-case': { do: 'letter-case', letters: 'lower' },
  add: { do: 'add', text: '', side: 'before' },
  'take-away': { do: 'take-away', text: '', side: 'before' },
  'without-numbers': { do: 'without-numbers' },
  number: {
    do: 'number',
    start: 1,
    width: 2,
    separator: ' ',
    side: 'after',
    counted: 'back',
    anew: false,
    instead: false,
  },
  listed: { do: 'listed', listed: [], counted: 'front' },
  'from-layers': { do: 'from-layers' },
};
const OF = [
  { value: 'chosen', label: words.selection },
  { value: 'parts', label: words.allPartsInTheSelection },
  { value: 'all', label: words.allParts },
];
/** Milliseconds that what is typed rests before names are asked for. */
const REST = 150;

/** Many names at once: what is done with them, and what comes of it, before it is. */
export function NamesDialog({ illustration, view, chosen, isListed, act, onClose }: Props) {
  const [of, setOf] = useState(chosen.length > 0 ? 'chosen' : 'all');
  const [changes, setChanges] = useState<readonly Change[]>([isListed ? FIRST.listed : FIRST.replace]);
  const [asked, setAsked] = useState(changes);
  useEffect(() => {
    const timer = window.setTimeout(() => setAsked(changes), REST);
    return () => window.clearTimeout(timer);
  }, [changes]);
  const inside = new Set(chosen.flatMap((row) => [...within(view.rows, row)]));
  const parts = view.rows.filter((row) => row.kind === 'part');
  const rows =
    of === 'chosen' ? chosen : parts.filter((row) => of === 'all' || inside.has(row.id)).map((row) => row.id);
  const query = useQuery({
    queryKey: ['names', illustration, view.version, rows, asked],
    enabled: rows.length > 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => askNames(illustration, rows, asked, signal),
  });
  const found = query.error ? [] : (query.data ?? []);
  const changed = found.filter((one) => one.new !== one.old);
  const clashes = found.filter((one) => one.problem !== null);
  const give = (withProposals: boolean) => {
    const names = (withProposals ? [...new Set([...changed, ...clashes])] : changed).map(
      (one) => [one.row, (withProposals && one.proposal) || one.new] as const,
    );
    act({ do: 'rename-rows', names: Object.fromEntries(names) });
    onClose();
  };
  return (
    <Modal opened size="xl" title={words.renameMany} onClose={onClose} closeButtonProps={{ 'aria-label': words.close }}>
      <form
        className={classes.form}
        onSubmit={(event) => {
          event.preventDefault();
          if (changed.length > 0 && clashes.length === 0) give(false);
        }}
      >
        <NativeSelect
          size="xs"
          label={words.namesOf}
          data={OF.filter(({ value }) => chosen.length > 0 || value === 'all')}
          value={of}
          onChange={(event) => setOf(event.currentTarget.value)}
        />
        <Changes changes={changes} onChanges={setChanges} />
        <div className={classes.row}>
          <Button size="compact-sm" variant="default" onClick={() => setChanges([...changes, FIRST['letter-case']])}>
            {words.addChange}
          </Button>
        </div>
        {query.error && <p role="alert">{query.error.message}</p>}
        <Preview found={found} illustration={illustration} view={view} />
        <div className={classes.end}>
          <p role="status" className={classes.state} aria-busy={query.isFetching}>
            {words.ofWouldChange(changed.length, rows.length)}
            {clashes.length > 0 && words.cannot(clashes.length)}.
          </p>
          {clashes.length > 0 && (
            <Button size="xs" variant="default" onClick={() => give(true)}>
              {words.renameWithSuggestedFixes}
            </Button>
          )}
          <Button type="submit" size="xs" disabled={changed.length === 0 || clashes.length > 0}>
            {words.rename}
          </Button>
        </div>
      </form>
    </Modal>
  );
}

interface ChangesProps {
  changes: readonly Change[];
  onChanges: (changes: readonly Change[]) => void;
}

/** What is done with the names, one after the other. */
function Changes({ changes, onChanges }: ChangesProps) {
  const change = (at: number, next: Partial<Change>) =>
    onChanges(changes.map((one, index) => (index === at ? { ...one, ...next } : one)));
  return (
    <>
      {changes.map((one, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a change has no name but its place
        <fieldset key={at} className={classes.change}>
          <legend>{words.change(at + 1)}</legend>
          <NativeSelect
            size="xs"
            label={words.changeColumn}
            data-autofocus={(at === 0 && one.do !== 'listed') || undefined}
            data={[...KINDS]}
            value={one.do}
            onChange={(event) => {
              const kind = event.currentTarget.value as Kind;
              onChanges(changes.map((other, index) => (index === at ? FIRST[kind] : other)));
            }}
          />
          <NameChangeFields change={one} onChange={(next) => change(at, next)} />
          {changes.length > 1 && (
            <Button
              size="compact-sm"
              variant="subtle"
              onClick={() => onChanges(changes.filter((_, index) => index !== at))}
            >
              {words.removeChange}
            </Button>
          )}
        </fieldset>
      ))}
    </>
  );
}

interface PreviewProps extends Pick<Props, 'illustration' | 'view'> {
  found: readonly Schemas['Renaming'][];
}

/** The names as they are and as they would be, and what speaks against them. */
function Preview({ found, illustration, view }: PreviewProps) {
  const pictures = new Map(view.rows.map((row) => [row.id, row.thumbnail]));
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard
    <section className={classes.preview} aria-label={words.preview} tabIndex={0}>
      <table>
        <thead>
          <tr>
            <th scope="col" aria-label={words.picture} />
            <th scope="col">{words.now}</th>
            <th scope="col">{words.thenName}</th>
          </tr>
        </thead>
        <tbody>
          {found.toReversed().map((one) => (
            <tr key={one.row} data-name={one.old}>
              <td className={classes.picture}>
                <Thumbnail illustration={illustration} digest={pictures.get(one.row) ?? null} />
              </td>
              <td>{one.old}</td>
              <td className={one.problem ? classes.clash : one.new === one.old ? classes.same : undefined}>
                {one.new}
                {one.note && <span className={classes.why}> {one.note}</span>}
                {one.problem && <span className={classes.why}> {words.isFree(one.problem, one.proposal)}</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
