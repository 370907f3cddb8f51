/** What the rows say that should be looked at: names, sides, looks, joints, depths; each with what can be done about it. */
import type { Arrangement, Row } from '../api/calls';
import type { Schemas } from '../api/client';
import { placeOf } from '../api/steps';
import type { Act } from '../ledger/useArrangement';
import type { Again } from '../steps/put-in-order/BenchDrawer';
import type { Wider } from '../steps/put-in-order/Planes';
import type { Order } from '../steps/put-in-order/useOrder';
import { plural } from '../ui/units';
import { type Fix, fixes, type Kind, type Listed } from './finding';

type Finding = Schemas['Finding'];
type Of<T> = Partial<Record<Finding['kind'], T>>;

export interface RowsContext {
  view: Arrangement;
  order: Order;
  act: Act;
  again: (row: string, how: Again) => void;
  propose: (rows: readonly string[]) => void;
  widen: (row: string, by: Wider) => void;
  choose: (ids: readonly string[], current: string | null) => void;
  goTo: (page: 'rows' | 'sets' | 'required' | 'depth') => void;
}

export function rowsFound(context: RowsContext): Listed[] {
  const byId = new Map(context.view.rows.map((row) => [row.id, row]));
  return context.order.findings.map((finding) => ({
    key: `${finding.kind} ${finding.sentence}`,
    severity: finding.severity,
    kind: finding.kind,
    sentence: finding.sentence,
    rows: finding.rows,
    isShown: false,
    show: () => context.choose(finding.rows, finding.rows[0] ?? null),
    fixes: fixesOf(finding, byId, context),
  }));
}

function fixesOf(
  finding: Finding,
  byId: ReadonlyMap<string, Row>,
  { view, order, act, again, propose, widen, choose, goTo }: RowsContext,
): Fix[] {
  const { rows } = finding;
  const [first = '', second = ''] = rows;
  const series = order.series.find((one) => one.rows.join() === rows.join());
  const siblings = new Set(rows.map((id) => byId.get(id)?.group)).size === 1;
  const say = (meaning: 'pair' | 'alternates' | 'neither') =>
    series && act({ do: 'decide', decisions: { meanings: { ...view.decisions.meanings, [series.key]: meaning } } });
  const remove = ['Remove', () => act({ do: 'remove-rows', rows: [first] })] as const;
  const go = (label: string, page: 'rows' | 'sets' | 'required' | 'depth') =>
    [
      label,
      () => {
        choose(rows, first || null);
        goTo(page);
      },
    ] as const;
  const pivot = byId.get(first)?.pivot;
  const all: Of<Fix[]> = {
    required: fixes(go('Show list', 'required')),
    empty: fixes(remove, ['Leave out', () => act({ do: 'include-parts', included: { [first]: false } })]),
    name: fixes(
      finding.proposal != null && [
        `Rename to '${finding.proposal}'`,
        () => act({ do: 'rename-rows', names: { [first]: finding.proposal ?? '' } }),
      ],
      go('Show', 'rows'),
    ),
    pair: series?.lacks
      ? fixes(
          [`Create ${series.lacks} twin`, () => again(first, { mirrored: true, about: 'middle' })],
          ['Not a pair', () => say('neither')],
        )
      : fixes([
          'Hand over both',
          () => act({ do: 'include-parts', included: Object.fromEntries(rows.map((row) => [row, true])) }),
        ]),
    series: fixes(
      siblings && [
        'Make alternates',
        () => {
          say('alternates');
          act({ do: 'make-alternates', rows });
        },
      ],
      ['All visible', () => say('pair')],
      ['Unrelated', () => say('neither')],
    ),
    look: fixes(
      rows.length > 1 &&
        pivot != null && [
          'Use the first pivot for all',
          () => act({ do: 'set-pivots', pivots: Object.fromEntries(rows.map((row) => [row, placeOf(pivot)])) }),
        ],
      go('Show looks', 'sets'),
    ),
    pivot: fixes(['Propose pivot', () => propose([first])]),
    depth: fixes(
      ['Match the other depth', () => act({ do: 'set-depths', depths: { [first]: byId.get(second)?.depth ?? 0 } })],
      siblings && [
        'Sort the group by depth',
        () => act({ do: 'order-rows', group: byId.get(first)?.group ?? null, by: 'depth' }),
      ],
    ),
    hidden: fixes(remove, [
      'Show and include',
      () => {
        act({ do: 'show-rows', shown: { [first]: true } });
        act({ do: 'include-parts', included: { [first]: true } });
      },
    ]),
    cover: fixes(
      ['Extend by mirroring', () => widen(first, 'mirror')],
      ['Extend by repeating', () => widen(first, 'repeat')],
      ['Enlarge', () => widen(first, 'enlarge')],
      go('Show planes', 'depth'),
    ),
  };
  return all[finding.kind] ?? [];
}

/** What each kind has in common, with what can be done about all of it. */
export function rowsKinds({ order, act, propose, widen }: RowsContext): Of<Kind> {
  const firstOf = (alike: readonly Listed[]) => alike.flatMap((one) => one.rows.slice(0, 1));
  const proposals = new Map(order.findings.map((one) => [`${one.kind} ${one.sentence}`, one.proposal]));
  const nothing = () => [];
  const removeAll = (alike: readonly Listed[]) =>
    ['Remove all', () => act({ do: 'remove-rows', rows: firstOf(alike) })] as const;
  const wider = (alike: readonly Listed[], by: Wider) => {
    for (const row of firstOf(alike)) widen(row, by);
  };
  return {
    required: { together: 'required parts are missing', fixAll: nothing },
    empty: {
      together: 'parts are empty, or lie off the canvas',
      fixAll: (alike) =>
        fixes(removeAll(alike), [
          'Leave out all',
          () => act({ do: 'include-parts', included: Object.fromEntries(firstOf(alike).map((row) => [row, false])) }),
        ]),
    },
    name: {
      together: 'names are default names, or mix alphabets',
      fixAll: (alike) => {
        const names = alike.flatMap((one) => {
          const proposal = proposals.get(one.key);
          return proposal == null ? [] : [[one.rows[0] ?? '', proposal] as const];
        });
        return fixes(
          names.length > 0 && [
            `Use ${plural(names.length, 'proposed name')}`,
            () => act({ do: 'rename-rows', names: Object.fromEntries(names) }),
          ],
        );
      },
    },
    pair: { together: 'pairs are not complete', fixAll: nothing },
    series: { together: 'series of names are undecided', fixAll: nothing },
    look: { together: 'parts differ between looks', fixAll: nothing },
    pivot: {
      together: 'parts have a parent but no pivot',
      fixAll: (alike) => fixes(['Propose all pivots', () => propose(firstOf(alike))]),
    },
    depth: { together: 'parts are in front but deeper', fixAll: nothing },
    hidden: { together: 'parts are hidden and left out', fixAll: (alike) => fixes(removeAll(alike)) },
    cover: {
      together: 'planes are too narrow for the camera travel',
      fixAll: (alike) =>
        fixes(
          ['Extend all by mirroring', () => wider(alike, 'mirror')],
          ['Enlarge all', () => wider(alike, 'enlarge')],
        ),
    },
  };
}
