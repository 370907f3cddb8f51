import { Button } from '@mantine/core';
import { useState } from 'react';
import type { Arrangement } from '../../api/calls';
import type { Schemas } from '../../api/client';
import { placeOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import form from '../../ui/form.module.css';
import pages from '../../ui/pages.module.css';
import { Remarks } from '../../ui/Remarks';
import { count, plural } from '../../ui/units';
import type { Again } from './BenchDrawer';
import type { Wider } from './Planes';
import type { Order } from './useOrder';

type Finding = Schemas['Finding'];

interface Props {
  illustration: number;
  view: Arrangement;
  order: Order | undefined;
  canEdit: boolean;
  act: Act;
  again: (row: string, how: Again) => void;
  propose: (rows: readonly string[]) => void;
  widen: (row: string, by: Wider) => void;
  onChoose: (ids: readonly string[], current: string | null) => void;
  onPage: (page: 'rows' | 'sets' | 'depth') => void;
}

const SEVERITIES = [
  { severity: 'error', title: 'Errors' },
  { severity: 'warning', title: 'Warnings' },
  { severity: 'note', title: 'Notes' },
] as const;

/** What the rows say that should be looked at, each with what can be done about it. */
export function Notes(props: Props) {
  const { order } = props;
  const found = order?.findings ?? [];
  return (
    <div className={pages.page}>
      <p className={form.told} role="status">
        {order &&
          (found.length === 0
            ? 'No findings in names, sides, looks, joints or depths.'
            : `${plural(found.length, 'finding')}.`)}{' '}
        Findings in the pixels are listed under Take apart, Findings.
      </p>
      <Remarks
        illustration={props.illustration}
        canEdit={props.canEdit}
        onShow={(part) => props.onChoose([part], part)}
        isOpenOnly
      />
      {SEVERITIES.map(({ severity, title }) => {
        const own = found.filter((one) => one.severity === severity);
        if (own.length === 0) return null;
        return (
          <section key={severity} className={form.form}>
            <h3>{`${title} (${own.length})`}</h3>
            <ul className={form.notes}>
              {ofOneKind(own).map(([kind, alike]) =>
                alike.length > MANY ? (
                  <li key={kind}>
                    <Alike {...props} kind={kind} alike={alike} />
                  </li>
                ) : (
                  alike.map((finding) => <Note key={`${kind} ${finding.sentence}`} {...props} finding={finding} />)
                ),
              )}
            </ul>
          </section>
        );
      })}
    </div>
  );
}

/** How many notes of one kind are lines of their own. */
const MANY = 3;

/** What many of one kind say together, with their number before it. */
const TOGETHER: Partial<Record<Finding['kind'], string>> = {
  required: 'required parts are missing',
  empty: 'parts are empty, or lie off the canvas',
  name: 'names are default names, or mix alphabets',
  pair: 'pairs are not complete',
  series: 'series of names are undecided',
  look: 'parts differ between looks',
  pivot: 'parts have a parent but no pivot',
  depth: 'parts are in front but deeper',
  hidden: 'parts are hidden and left out',
  cover: 'planes are too narrow for the camera travel',
};

function ofOneKind(found: readonly Finding[]): [Finding['kind'], Finding[]][] {
  const kinds = new Map<Finding['kind'], Finding[]>();
  for (const one of found) kinds.set(one.kind, [...(kinds.get(one.kind) ?? []), one]);
  return [...kinds];
}

/** One note, which shows its parts, with what can be done about it. */
function Note(props: Props & { finding: Finding }) {
  const { finding, canEdit, onChoose } = props;
  return (
    <li>
      <button type="button" className={form.note} onClick={() => onChoose(finding.rows, finding.rows[0] ?? null)}>
        {finding.sentence}
      </button>
      {canEdit && (
        <div className={form.row}>
          <Mends {...props} finding={finding} />
        </div>
      )}
    </li>
  );
}

/** Many notes of one kind in a line, each of them a click away, with what can be done about all. */
function Alike(props: Props & { kind: Finding['kind']; alike: readonly Finding[] }) {
  const { kind, alike, canEdit, onChoose } = props;
  const [isOpen, setOpen] = useState(false);
  const rows = alike.flatMap((one) => one.rows);
  return (
    <>
      <button
        type="button"
        className={form.note}
        aria-expanded={isOpen}
        onClick={() => {
          setOpen(!isOpen);
          if (!isOpen) onChoose(rows, rows[0] ?? null);
        }}
      >
        {`${count(alike.length)} ${TOGETHER[kind] ?? 'findings'}`}
      </button>
      {canEdit && (
        <div className={form.row}>
          <MendsOfAll {...props} />
        </div>
      )}
      {isOpen && (
        <ul className={form.notes}>
          {alike.map((finding) => (
            <Note key={finding.sentence} {...props} finding={finding} />
          ))}
        </ul>
      )}
    </>
  );
}

function MendsOfAll({
  kind,
  alike,
  act,
  propose,
  widen,
}: Props & { kind: Finding['kind']; alike: readonly Finding[] }) {
  const first = alike.flatMap((one) => one.rows.slice(0, 1));
  const proposed = alike.filter((one) => one.proposal != null);
  const wider = (by: Wider) => {
    for (const row of first) widen(row, by);
  };
  const all: Partial<Record<Finding['kind'], readonly (Mend | false)[]>> = {
    empty: [
      ['Remove all', () => act({ do: 'remove-rows', rows: first })],
      [
        'Leave out all',
        () => act({ do: 'include-parts', included: Object.fromEntries(first.map((row) => [row, false])) }),
      ],
    ],
    name: [
      proposed.length > 0 && [
        `Use ${plural(proposed.length, 'proposed name')}`,
        () =>
          act({
            do: 'rename-rows',
            names: Object.fromEntries(proposed.map((one) => [one.rows[0] ?? '', one.proposal ?? ''])),
          }),
      ],
    ],
    pivot: [['Propose all pivots', () => propose(first)]],
    hidden: [['Remove all', () => act({ do: 'remove-rows', rows: first })]],
    cover: [
      ['Extend all by mirroring', () => wider('mirror')],
      ['Enlarge all', () => wider('enlarge')],
    ],
  };
  return (all[kind] ?? []).map(
    (one) =>
      one && (
        <Button key={one[0]} size="compact-sm" variant="default" onClick={one[1]}>
          {one[0]}
        </Button>
      ),
  );
}

type Mend = readonly [string, () => void];

function Mends({ finding, view, order, act, again, propose, widen, onChoose, onPage }: Props & { finding: Finding }) {
  const byId = new Map(view.rows.map((row) => [row.id, row]));
  const { rows, kind } = finding;
  const [first = '', second = ''] = rows;
  const series = order?.series.find((one) => one.rows.join() === rows.join());
  const siblings = new Set(rows.map((id) => byId.get(id)?.group)).size === 1;
  const say = (meaning: 'pair' | 'alternates' | 'neither') =>
    series && act({ do: 'decide', decisions: { meanings: { ...view.decisions.meanings, [series.key]: meaning } } });
  const remove: Mend = ['Remove', () => act({ do: 'remove-rows', rows: [first] })];
  const go = (page: 'rows' | 'sets' | 'depth'): Mend => [
    page === 'rows' ? 'Show' : page === 'sets' ? 'Show list' : 'Show planes',
    () => {
      onChoose(rows, first || null);
      onPage(page);
    },
  ];
  const pivot = byId.get(first)?.pivot;
  const all: Partial<Record<Finding['kind'], readonly (Mend | false | undefined)[]>> = {
    required: [go('sets')],
    empty: [remove, ['Leave out', () => act({ do: 'include-parts', included: { [first]: false } })]],
    name: [
      finding.proposal != null && [
        `Rename to '${finding.proposal}'`,
        () => act({ do: 'rename-rows', names: { [first]: finding.proposal ?? '' } }),
      ],
      go('rows'),
    ],
    pair: series?.lacks
      ? [
          [`Create ${series.lacks} twin`, () => again(first, { mirrored: true, about: 'middle' })],
          ['Not a pair', () => say('neither')],
        ]
      : [
          [
            'Hand over both',
            () => act({ do: 'include-parts', included: Object.fromEntries(rows.map((row) => [row, true])) }),
          ],
        ],
    series: [
      siblings && [
        'Make alternates',
        () => {
          say('alternates');
          act({ do: 'make-alternates', rows });
        },
      ],
      ['All visible', () => say('pair')],
      ['Unrelated', () => say('neither')],
    ],
    look: [
      rows.length > 1 &&
        pivot != null && [
          'Use the first pivot for all',
          () => act({ do: 'set-pivots', pivots: Object.fromEntries(rows.map((row) => [row, placeOf(pivot)])) }),
        ],
      go('sets'),
    ],
    pivot: [['Propose pivot', () => propose([first])]],
    depth: [
      ['Match the other depth', () => act({ do: 'set-depths', depths: { [first]: byId.get(second)?.depth ?? 0 } })],
      siblings && [
        'Sort the group by depth',
        () => act({ do: 'order-rows', group: byId.get(first)?.group ?? null, by: 'depth' }),
      ],
    ],
    hidden: [
      remove,
      [
        'Show and include',
        () => {
          act({ do: 'show-rows', shown: { [first]: true } });
          act({ do: 'include-parts', included: { [first]: true } });
        },
      ],
    ],
    cover: [
      ['Extend by mirroring', () => widen(first, 'mirror')],
      ['Extend by repeating', () => widen(first, 'repeat')],
      ['Enlarge', () => widen(first, 'enlarge')],
      go('depth'),
    ],
  };
  return (all[kind] ?? []).map(
    (one) =>
      one && (
        <Button key={one[0]} size="compact-sm" variant="default" onClick={one[1]}>
          {one[0]}
        </Button>
      ),
  );
}
