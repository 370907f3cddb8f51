/** The state of the step: which page is open, what the rows say, and what lies over the picture. */
import { useMemo, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import type { Act } from '../../ledger/useArrangement';
import type { Marking } from '../../pile/marks';
import { placesOfDrop } from '../../rules/commands';
import type { Extent } from '../../rules/places';
import { usePage } from '../../ui/useAddress';
import type { Wider } from './Planes';
import { useFit } from './useFit';
import { useJoints } from './useJoints';
import { useOrder } from './useOrder';

/** Whether a click on the picture says what rows come to lie in front of or behind. */
export type Beside = 'in-front' | 'behind' | null;
export type Page = 'rows' | 'joints' | 'sets' | 'pairs' | 'required' | 'shelf' | 'depth' | 'fit' | 'notes';
/** The pages of *Sets*: looks at first. */
export type SetPage = 'sets' | 'pairs' | 'required' | 'shelf';

const PAGES: [Page, ...Page[]] = ['rows', 'joints', 'sets', 'pairs', 'required', 'shelf', 'depth', 'fit', 'notes'];

interface Props {
  illustration: number;
  view: Arrangement | undefined;
  chosenIds: readonly string[];
  canvas: Extent;
  canEdit: boolean;
  isOpen: boolean;
  moment: number;
  act: Act;
}

export function useOrdering({ illustration, view, chosenIds, canvas, canEdit, isOpen, moment, act }: Props) {
  const [page, setPage] = usePage<Page>(isOpen, PAGES);
  const only = chosenIds.length === 1 ? view?.rows.find((one) => one.id === chosenIds[0]) : undefined;
  const row = only?.kind === 'part' ? only : undefined;
  const isAtJoints = isOpen && page === 'joints';
  const joints = useJoints({ illustration, view, row, canvas, canEdit, isOpen: isAtJoints, act });
  const fit = useFit({ row, canEdit, isOpen: isOpen && page === 'fit', act });
  const order = useOrder(illustration, view?.version);
  const [beside, setBeside] = useState<Beside>(null);
  const [isStripSeen, setStripSeen] = useState(false);
  const [areGhostsSeen, setGhostsSeen] = useState(false);
  /** A pick that says what carries a part, or beside what rows come to lie; answers whether it was one. */
  const picked = (found: Row | null): boolean => {
    if (joints.pickParent(found)) return true;
    if (beside === null) return false;
    setBeside(null);
    const places = found && view ? placesOfDrop(view.rows, new Set(chosenIds), { kind: beside, row: found.id }) : [];
    if (places.length > 0) act({ do: 'move-rows', places });
    return true;
  };
  const widen = (part: string, how: Wider) => act({ do: 'reach-beyond', row: part, how });
  const marking = useMemo((): Marking | undefined => {
    const over = fit.marking ?? joints.marking;
    if (!areGhostsSeen || !row || row.frames.length < 2) return over;
    const { length } = row.frames;
    const ghosts = [moment + length - 1, moment + 1].map((at) => ({ row, moment: at % length }));
    return { kind: null, masks: [], onMark: () => {}, ...over, ghosts };
  }, [fit.marking, joints.marking, areGhostsSeen, row, moment]);
  return {
    page,
    setPage,
    row,
    joints,
    fit,
    order: order.data,
    widen,
    beside,
    setBeside,
    picked,
    isStripSeen,
    setStripSeen,
    areGhostsSeen,
    setGhostsSeen,
    marking: isOpen ? marking : undefined,
  };
}

export type Ordering = ReturnType<typeof useOrdering>;
