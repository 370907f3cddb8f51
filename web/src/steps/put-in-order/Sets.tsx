import { Button, NativeSelect, SegmentedControl, Textarea, TextInput } from '@mantine/core';
import { useEffect, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import type { Act, Perform } from '../../ledger/useArrangement';
import form from '../../ui/form.module.css';
import pages from '../../ui/pages.module.css';
import { Thumbnail } from '../../ui/Thumbnail';
import type { Again } from './BenchDrawer';
import classes from './PutInOrder.module.css';
import { Shelf } from './Shelf';
import type { Order, Series } from './useOrder';
import type { SetPage } from './useOrdering';
import { sets as words } from './words';

interface Props {
  illustration: number;
  view: Arrangement;
  page: SetPage;
  onPage: (page: SetPage) => void;
  order: Order | undefined;
  chosen: ReadonlySet<string>;
  canEdit: boolean;
  act: Act;
  again: (row: string, how: Again) => void;
  row: Row | undefined;
  perform: Perform;
  onChoose: (ids: readonly string[], current: string | null) => void;
}

const PAGES: readonly { value: SetPage; label: string }[] = [
  { value: 'sets', label: words.looks },
  { value: 'pairs', label: words.pairsAndSeries },
  { value: 'required', label: words.requiredParts },
  { value: 'shelf', label: words.shelf },
];

/** What belongs together: looks, pairs and series, and what must be there; and what one keeps for other projects. */
export function Sets(props: Props) {
  const { view, order, page, canEdit, act, onPage } = props;
  return (
    <div className={pages.page}>
      <SegmentedControl
        size="xs"
        fullWidth
        aria-label={words.sets}
        data={[...PAGES]}
        value={page}
        onChange={(value) => onPage(value as SetPage)}
      />
      {page === 'sets' && (
        <section className={form.form} aria-label={words.looks}>
          {order?.looks.length === 0 && <p className={form.told}>{words.noLooksYetGroup}</p>}
          {order?.looks.map((table) => (
            <LookTable key={table.sets.join()} {...props} table={table} />
          ))}
        </section>
      )}
      {page === 'pairs' && (
        <section className={form.form} aria-label={words.pairsAndSeries}>
          {order?.series.length === 0 && <p className={form.told}>{words.noPairsOrSeriesNo}</p>}
          {order && order.series.length > 0 && <Pairs {...props} series={order.series} />}
          <OwnSides sides={view.decisions.sides} canEdit={canEdit} act={act} />
        </section>
      )}
      {page === 'required' && (
        <div className={form.form}>
          <RequiredList {...props} />
        </div>
      )}
      {page === 'shelf' && (
        <Shelf
          illustration={props.illustration}
          row={props.row}
          hasList={view.decisions.required.length > 0}
          canEdit={canEdit}
          perform={props.perform}
          onChoose={props.onChoose}
        />
      )}
    </div>
  );
}

function LookTable({
  illustration,
  view,
  table,
  chosen,
  canEdit,
  act,
  onChoose,
}: Props & { table: Order['looks'][number] }) {
  const byId = new Map(view.rows.map((row) => [row.id, row]));
  const { looks } = table;
  const inLooks = new Set(table.lines.flatMap((line) => line.rows));
  const shared = view.rows.filter((row) => row.kind === 'part' && !inLooks.has(row.id)).length;
  const gaps = table.lines.filter((line) => line.rows.includes(null)).length;
  return (
    <>
      <p className={form.told}>
        {words.inSharedByAllLooks(
          table.lines.length,
          looks.length,
          gaps > 0 ? `, ${words.gapCount(gaps)}` : words.noGaps,
          shared,
        )}
      </p>
      <table className={classes.looks}>
        <thead>
          <tr>
            <th>{table.sets.length === 1 && byId.get(table.sets[0] ?? '')?.name}</th>
            {looks.map((look) => (
              <th key={look.name}>
                <Button
                  size="compact-xs"
                  variant={look.shown ? 'filled' : 'default'}
                  aria-pressed={look.shown}
                  disabled={!canEdit}
                  title={look.shown ? words.shown : words.show(look.name)}
                  onClick={() =>
                    act({ do: 'show-rows', shown: Object.fromEntries(look.groups.map((group) => [group, true])) })
                  }
                >
                  {look.name}
                </Button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.lines.map((line) => {
            const rows = line.rows.map((id) => (id === null ? undefined : byId.get(id)));
            const there = rows.filter((row): row is Row => row !== undefined);
            const isChosen = there.length > 0 && there.every((row) => chosen.has(row.id));
            const sizes = new Set(there.flatMap((row) => (row.box ? [`${row.box[2]} × ${row.box[3]}`] : [])));
            return (
              <tr key={line.path.join('/')}>
                <td>
                  {isChosen && canEdit ? (
                    <RenameLine rows={there} act={act} />
                  ) : (
                    <button
                      type="button"
                      className={classes.plain}
                      onClick={() =>
                        onChoose(
                          there.map((row) => row.id),
                          there[0]?.id ?? null,
                        )
                      }
                    >
                      {line.path.join(' / ')}
                    </button>
                  )}
                  {sizes.size > 1 && <div className={classes.quiet}>{words.sizesDiffer}</div>}
                </td>
                {looks.map((look, at) => {
                  const row = rows[at];
                  return (
                    <td key={look.name}>
                      {row ? (
                        <button
                          type="button"
                          className={classes.cell}
                          aria-pressed={chosen.has(row.id)}
                          aria-label={words.in(row.name, look.name)}
                          onClick={() => onChoose([row.id], row.id)}
                        >
                          <Thumbnail illustration={illustration} digest={row.thumbnail} />
                        </button>
                      ) : (
                        <span className={classes.gap}>{words.missing}</span>
                      )}
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

/** One name for a part in every look. */
function RenameLine({ rows, act }: { rows: readonly Row[]; act: Act }) {
  const [name, setName] = useState(rows[0]?.name ?? '');
  const rename = () => {
    if (name.trim() && rows.some((row) => row.name !== name)) {
      act({ do: 'rename-rows', names: Object.fromEntries(rows.map((row) => [row.id, name])) });
    }
  };
  return (
    <TextInput
      size="xs"
      aria-label={words.nameInAllLooks}
      value={name}
      onChange={(event) => setName(event.currentTarget.value)}
      onBlur={rename}
      onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
    />
  );
}

const MEANINGS = [
  { value: '', label: words.undecided },
  { value: 'pair', label: words.allVisible },
  { value: 'alternates', label: words.alternates },
  { value: 'neither', label: words.unrelated },
];

function Pairs({ view, series, canEdit, act, again, onChoose }: Props & { series: readonly Series[] }) {
  const byId = new Map(view.rows.map((row) => [row.id, row]));
  const areSiblings = (ids: readonly string[]) => new Set(ids.map((id) => byId.get(id)?.group)).size === 1;
  const say = (one: Series, meaning: string) => {
    if (meaning !== 'pair' && meaning !== 'alternates' && meaning !== 'neither') return;
    act({ do: 'decide', decisions: { meanings: { ...view.decisions.meanings, [one.key]: meaning } } });
    if (meaning === 'alternates' && one.rows.length > 1 && areSiblings(one.rows)) {
      act({ do: 'make-alternates', rows: one.rows });
    }
  };
  return (
    <table className={classes.looks}>
      <tbody>
        {series.map((one) => {
          const label = one.label.replace('*', '…');
          return (
            <tr key={one.key}>
              <td>
                <button type="button" className={classes.plain} onClick={() => onChoose(one.rows, one.rows[0] ?? null)}>
                  {label}
                </button>
                <span className={classes.beside}>
                  {one.kind !== 'sides'
                    ? one.rows.map((id) => byId.get(id)?.name.slice(one.label.length).trim()).join(', ')
                    : one.lacks
                      ? words.onlySide(one.lacks === 'left')
                      : words.leftAndRight}
                </span>
              </td>
              <td>
                {one.lacks && one.meaning === 'pair' && (
                  <Button
                    size="compact-xs"
                    variant="default"
                    disabled={!canEdit}
                    onClick={() => one.rows[0] && again(one.rows[0], { mirrored: true, about: 'middle' })}
                  >
                    {words.createTwin(one.lacks)}
                  </Button>
                )}
              </td>
              <td>
                <NativeSelect
                  size="xs"
                  aria-label={words.meaningOf(label)}
                  disabled={!canEdit}
                  data={MEANINGS.filter(({ value }) => value !== '' || one.meaning === null)}
                  value={one.meaning ?? ''}
                  onChange={(event) => say(one, event.currentTarget.value)}
                />
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

interface SidesProps {
  sides: readonly (readonly string[])[];
  canEdit: boolean;
  act: Act;
}

/** Endings for left and right in another language or habit. */
function OwnSides({ sides, canEdit, act }: SidesProps) {
  const written = sides.map((pair) => pair.join(', ')).join('; ');
  const [typed, setTyped] = useState(written);
  useEffect(() => setTyped(written), [written]);
  const keep = () => {
    if (typed === written) return;
    const pairs = typed
      .split(';')
      .map((pair) => pair.split(',').map((end) => end.trim()))
      .filter((pair) => pair.length === 2 && pair.every((end) => end !== ''));
    act({ do: 'decide', decisions: { sides: pairs } });
  };
  return (
    <TextInput
      size="xs"
      label={words.moreEndingsForLeft}
      placeholder={words.gaucheDroiteLiRe}
      disabled={!canEdit}
      value={typed}
      onChange={(event) => setTyped(event.currentTarget.value)}
      onBlur={keep}
      onKeyDown={(event) => event.key === 'Enter' && keep()}
    />
  );
}

function RequiredList({ view, order, canEdit, act, onChoose }: Props) {
  const written = view.decisions.required.join('\n');
  const [typed, setTyped] = useState(written);
  const [isOpen, setOpen] = useState(false);
  useEffect(() => setTyped(written), [written]);
  const missing = order?.required.filter((one) => one.row === null).length ?? 0;
  const keep = () => {
    const names = typed.split('\n').map((name) => name.trim());
    act({ do: 'decide', decisions: { required: [...new Set(names.filter((name) => name !== ''))] } });
    setOpen(false);
  };
  return (
    <>
      {view.decisions.required.length > 0 && (
        <>
          <p className={form.told} role="status">
            {missing === 0
              ? words.allRequiredPartsExist(view.decisions.required.length)
              : words.ofAreMissing(missing, view.decisions.required.length)}
          </p>
          <ul className={classes.required} aria-label={words.requiredParts}>
            {order?.required.map((one) => (
              <li key={one.name}>
                <span className={one.row === null ? classes.missing : classes.tick}>
                  {one.row === null ? (one.reason ?? words.missing) : words.there}
                </span>
                {one.row === null ? (
                  <span>{one.name}</span>
                ) : (
                  <button
                    type="button"
                    className={classes.plain}
                    onClick={() => one.row && onChoose([one.row], one.row)}
                  >
                    {one.name}
                  </button>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
      {isOpen ? (
        <>
          <Textarea
            size="xs"
            label={words.oneNameALineWrite}
            minRows={5}
            maxRows={14}
            autosize
            value={typed}
            onChange={(event) => setTyped(event.currentTarget.value)}
          />
          <div className={form.row}>
            <Button size="xs" onClick={keep}>
              {words.saveList}
            </Button>
            <Button size="xs" variant="subtle" onClick={() => setOpen(false)}>
              {words.cancel}
            </Button>
          </div>
        </>
      ) : (
        <div className={form.row}>
          <Button size="xs" variant="default" disabled={!canEdit} onClick={() => setOpen(true)}>
            {view.decisions.required.length > 0 ? words.editList : words.addList}
          </Button>
        </div>
      )}
    </>
  );
}
