/** What the rows say that should be looked at: names, sides, looks, joints, depths; each with what can be done about it. */

import type { Arrangement, Row } from '../api/calls';
import type { Schemas } from '../api/client';
import { placeOf } from '../api/steps';
import type { Act } from '../ledger/useArrangement';
import type { Again } from '../steps/put-in-order/BenchDrawer';
import type { Wider } from '../steps/put-in-order/Planes';
import type { Order } from '../steps/put-in-order/useOrder';
import { type Fix, fixes, type Kind, type Listed } from './finding';
import { ofRows as words } from './words';

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
  const remove = [words.remove, () => act({ do: 'remove-rows', rows: [first] })] as const;
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
    required: fixes(go(words.showList, 'required')),
    empty: fixes(remove, [words.leaveOut, () => act({ do: 'include-parts', included: { [first]: false } })]),
    name: fixes(
      finding.proposal != null && [
        words.renameTo(finding.proposal),
        () => act({ do: 'rename-rows', names: { [first]: finding.proposal ?? '' } }),
      ],
      go(words.show, 'rows'),
    ),
    pair: series?.lacks
      ? fixes(
          [words.createTwin(series.lacks), () => again(first, { mirrored: true, about: 'middle' })],
          [words.notAPair, () => say('neither')],
        )
      : fixes([
          words.handOverBoth,
          () => act({ do: 'include-parts', included: Object.fromEntries(rows.map((row) => [row, true])) }),
        ]),
    series: fixes(
      siblings && [
        words.makeAlternates,
        () => {
          say('alternates');
          act({ do: 'make-alternates', rows });
        },
      ],
      [words.allVisible, () => say('pair')],
      [words.unrelated, () => say('neither')],
    ),
    look: fixes(
      rows.length > 1 &&
        pivot != null && [
          words.toUseTheFirstPivot,
          () => act({ do: 'set-pivots', pivots: Object.fromEntries(rows.map((row) => [row, placeOf(pivot)])) }),
        ],
      go(words.showLooks, 'sets'),
    ),
    pivot: fixes([words.proposePivot, () => propose([first])]),
    depth: fixes(
      [words.matchTheOtherDepth, () => act({ do: 'set-depths', depths: { [first]: byId.get(second)?.depth ?? 0 } })],
      siblings && [
        words.sortTheGroupByDepth,
        () => act({ do: 'order-rows', group: byId.get(first)?.group ?? null, by: 'depth' }),
      ],
    ),
    hidden: fixes(remove, [
      words.showAndInclude,
      () => {
        act({ do: 'show-rows', shown: { [first]: true } });
        act({ do: 'include-parts', included: { [first]: true } });
      },
    ]),
    cover: fixes(
      [words.extendByMirroring, () => widen(first, 'mirror')],
      [words.extendByRepeating, () => widen(first, 'repeat')],
      [words.enlarge, () => widen(first, 'enlarge')],
      go(words.showPlanes, 'depth'),
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
    [words.removeAll, () => act({ do: 'remove-rows', rows: firstOf(alike) })] as const;
  const wider = (alike: readonly Listed[], by: Wider) => {
    for (const row of firstOf(alike)) widen(row, by);
  };
  return {
    required: { together: words.requiredPartsAreMissing, fixAll: nothing },
    empty: {
      together: words.partsAreEmptyOrLie,
      fixAll: (alike) =>
        fixes(removeAll(alike), [
          words.leaveOutAll,
          () => act({ do: 'include-parts', included: Object.fromEntries(firstOf(alike).map((row) => [row, false])) }),
        ]),
    },
    name: {
      together: words.namesAreDefaultNames,
      fixAll: (alike) => {
        const names = alike.flatMap((one) => {
          const proposal = proposals.get(one.key);
          return proposal == null ? [] : [[one.rows[0] ?? '', proposal] as const];
        });
        return fixes(
          names.length > 0 && [
            words.use(names.length),
            () => act({ do: 'rename-rows', names: Object.fromEntries(names) }),
          ],
        );
      },
    },
    pair: { together: words.pairsAreNotComplete, fixAll: nothing },
    series: { together: words.seriesOfNamesAreUndecided, fixAll: nothing },
    look: { together: words.partsDifferBetweenLooks, fixAll: nothing },
    pivot: {
      together: words.partsHaveAParentBut,
      fixAll: (alike) => fixes([words.proposeAllPivots, () => propose(firstOf(alike))]),
    },
    depth: { together: words.partsAreInFrontBut, fixAll: nothing },
    hidden: { together: words.partsAreHiddenAndLeft, fixAll: (alike) => fixes(removeAll(alike)) },
    cover: {
      together: words.planesAreTooNarrow,
      fixAll: (alike) =>
        fixes(
          [words.extendAllByMirroring, () => wider(alike, 'mirror')],
          [words.enlargeAll, () => wider(alike, 'enlarge')],
        ),
    },
  };
}
