/** Taking apart: which part is worked on, on which page, and what comes of that. */

import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import type { Command } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import type { Marking, MarkKeys, Mask } from '../../pile/marks';
import { artOf } from '../../rules/art';
import type { Extent, Spot } from '../../rules/places';
import { usePage } from '../../ui/useAddress';
import type { Change } from './change';
import { choosingMarks, differenceMask, pieceMasks } from './chosenMarks';
import { CHOSEN, marksOf } from './gestures';
import { numberAt, withJoined, withLeftOut } from './pieces';
import { useBehind } from './useBehind';
import { useChanging, type Work } from './useChanging';
import { useFindings } from './useFindings';
import { type Gestures, useGestures } from './useGestures';
import { usePreview } from './usePreview';
import { useProposals } from './useProposals';
import { useRemainder } from './useRemainder';
import { useSlow } from './useRested';
import { useDifference, useSelection, useSeparate } from './useSelection';

/** What is done with the part: taken out of it, completed beneath its neighbours, changed at its edge, or looked over. */
export type Page = 'take-out' | 'beneath' | 'edge' | 'check';
/** What is seen of the pile while a part is worked on. */
export type Looking = 'all' | 'alone' | 'without';

/** Pixels of a picture above which work begins only when it is asked for. */
const LARGE = 20_000_000;

const PAGES: [Page, ...Page[]] = ['take-out', 'beneath', 'edge', 'check'];

interface Props {
  illustration: number;
  canvas: Extent;
  view: Arrangement | undefined;
  current: string | null;
  /** Whether the step is open: nothing is computed for one that nobody looks at. */
  isOpen: boolean;
  /** Whether findings are looked at in another step. */
  isListed: boolean;
  /** Which frame of what moves is seen. */
  moment: number;
  onMoment: (moment: number) => void;
  act: Act;
  onTaken: (rows: readonly string[], from: string) => void;
}

export function useTaking({
  illustration,
  canvas,
  view,
  current,
  isOpen,
  isListed,
  moment,
  onMoment,
  act,
  onTaken,
}: Props) {
  const parts = useMemo(() => view?.rows.filter((row) => row.kind === 'part') ?? [], [view]);
  // Until somebody chooses one, it is the largest: most is still to be taken out of that.
  const from: Row | undefined = parts.find((row) => row.id === current) ?? largest(parts);
  const art = useMemo(() => from && artOf(from), [from]);
  const version = view?.version;
  const [page, setPage] = usePage<Page>(isOpen, PAGES);
  const [work, setWork] = useState<Work>('paint-under');
  const [looking, setLooking] = useState<Looking>('all');
  const [name, setName] = useState('');
  const [problem, setProblem] = useState('');
  /** The parts that were taken out together last: they have no names of their own yet. */
  const [several, setSeveral] = useState<readonly string[]>([]);

  const choosing = useGestures(art);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was refused is no matter any more once something else is chosen
  useEffect(() => setProblem(''), [choosing.gestures, choosing.pieces]);
  const change: Change = (make, made, refused) => {
    if (!from) return;
    setProblem('');
    const isRefused = (refusal: { message: string }) => {
      setProblem(refusal.message);
      refused?.();
    };
    act(make(from.id), { refused: isRefused, ...(made && { made }) });
  };
  /** A click on the next part takes out the one that has a name already. */
  const takeNamed = useRef<(points: readonly Spot[]) => boolean>(() => false);
  const found = useChosen(
    takeNamed,
    illustration,
    version,
    canvas,
    from,
    art,
    moment,
    choosing,
    isOpen,
    isListed,
    page === 'take-out',
  );
  const isLookedAt = isListed || (isOpen && page === 'check');
  const findings = useFindings({ illustration, version, isOpen: isLookedAt, change, onMoment });
  const changing = useChanging({
    illustration,
    from,
    art,
    work: page === 'take-out' || page === 'check' ? null : work,
    change,
    onKept: (row) => onTaken([row], row),
  });
  // Over an empty place a soft edge would show it.
  const behind = useBehind(() => choosing.setEdge({ ...choosing.edge, soft: 0 }));
  const clear = () => {
    choosing.clear();
    setProblem('');
  };
  const take = (make: (row: string) => Command, next: readonly Spot[] | null = null) => {
    const row = from?.id ?? '';
    choosing.setNext(next);
    setName('');
    change(
      make,
      (made) => {
        if (!next) clear();
        setSeveral(made.length > 1 ? made : []);
        // The next part may be in the same one, if that is still there.
        onTaken(made, row);
      },
      () => {
        choosing.setNext(null);
        setName(name);
      },
    );
  };
  const ways = takes(take, choosing, name, behind.filling);
  takeNamed.current = (points) => {
    const isNamed = name.trim() !== '' && choosing.gestures.length > 0 && !found.problem;
    if (isNamed) ways.takeOut(false, points);
    return isNamed;
  };
  const lookedOver = useMemo(
    (): Marking => ({ kind: null, masks: findings.mask ? [findings.mask] : found.masks, onMark: () => {} }),
    [findings.mask, found.masks],
  );
  const markings: Record<Page, Marking | undefined> = {
    'take-out': found.marking,
    check: lookedOver,
    beneath: changing.marking,
    edge: changing.marking,
  };
  return {
    parts,
    from,
    ...choosing,
    clear,
    ...behind,
    name,
    setName,
    several: several.filter((id) => parts.some((row) => row.id === id)),
    page,
    setPage,
    work,
    setWork,
    looking,
    setLooking,
    changing,
    findings,
    ...found,
    marking: markings[page],
    /** What lies over the picture while findings are looked at. */
    lookedOver,
    ...ways,
    problem: problem || changing.problem || found.problem,
  };
}

export type Taking = ReturnType<typeof useTaking>;

/** The three ways in which what is chosen becomes parts. */
function takes(
  take: (make: (row: string) => Command, next?: readonly Spot[] | null) => void,
  { gestures, edge, pieces, numbers }: Gestures,
  name: string,
  behind: ReturnType<typeof useBehind>['filling'],
) {
  return {
    takeOut: (copy: boolean, next: readonly Spot[] | null = null) => {
      const parts = [{ name: name.trim() || 'part', gestures: [...gestures], edge }];
      take((row) => ({ do: 'take-out', row, parts, behind, copy }), next);
    },
    takeProposed: () => take((row) => ({ do: 'take-pieces', row, regions: numbers.regions, behind })),
    takePieces: () => {
      if (!pieces) return;
      const { gap, smallest, joined, leftOut } = pieces;
      const chosen = { gap, smallest, joined: joined.map((group) => [...group]), left_out: [...leftOut] };
      take((row) => ({ do: 'take-pieces', row, behind, ...chosen }));
    },
  };
}

/** What the gestures choose, what is proposed, and what differs from what was brought in; and how that is seen. */
function useChosen(
  takeNamed: React.RefObject<(points: readonly Spot[]) => boolean>,
  illustration: number,
  version: number | undefined,
  canvas: Extent,
  from: Row | undefined,
  art: string | undefined,
  moment: number,
  choosing: Gestures,
  isOpen: boolean,
  isListed: boolean,
  isTaking: boolean,
) {
  const { tool, how, gestures, edge, pieces, setPieces, numbers, mark } = choosing;
  const frame = from && from.frames.length > 1 ? moment % from.frames.length : 0;
  const selection = useSelection(illustration, from, art, gestures, edge, frame);
  const islands = useSeparate(illustration, from, art, pieces);
  const isProposing = isOpen && isTaking && tool === 'proposed';
  const proposals = useProposals(illustration, from?.id, art, numbers.regions, isProposing);
  const { compared, compare, isFetching: isComparing } = useDifference(illustration, version, isOpen || isListed);
  const isChosen = gestures.length > 0 && !selection.error;
  // Of a large picture nothing is computed that nobody has asked for.
  const isLarge = canvas.width * canvas.height > LARGE;
  const isPointing = isOpen && isTaking && tool === 'clicked' && pieces === null && (!isLarge || gestures.length > 0);
  const preview = usePreview(illustration, from?.id, art, frame, isPointing);
  const remainder = useRemainder(illustration, from?.id, art, version, canvas, isOpen && isTaking, !isLarge);
  const [inFront, setInFront] = useState('');

  const masks = useMemo((): Mask[] => {
    if (pieces !== null && islands.data) return pieceMasks(pieces, islands.data);
    if (compared && compared.differing > 0 && gestures.length === 0) return [differenceMask(compared)];
    const hovered = [proposals.hovered, preview.pointed].filter((mask) => mask !== null);
    if (!isChosen || !selection.data) return hovered;
    return [...hovered, { picture: selection.data.picture, box: selection.data.box, colour: CHOSEN }];
  }, [pieces, islands.data, isChosen, selection.data, preview.pointed, proposals.hovered, compared, gestures.length]);

  const onMark = useCallback(
    (points: readonly Spot[], keys: MarkKeys) => {
      if (pieces === null) {
        const isNew = tool === 'clicked' && how === 'instead' && !keys.add && !keys.subtract;
        return isNew && takeNamed.current(points) ? undefined : mark(points, keys);
      }
      const [at] = points;
      const number = at && islands.data ? numberAt(islands.data, at) : 0;
      if (number) setPieces(keys.add ? withJoined(pieces, number) : withLeftOut(pieces, number));
    },
    [pieces, islands.data, mark, setPieces, tool, how, takeNamed],
  );
  const strokes = useMemo(() => gestures.flatMap(marksOf), [gestures]);
  const hoverProposals = proposals.onHover;
  const hoverPreview = preview.onHover;
  const onHover = useCallback(
    (spot: Spot | null, front?: Row) => {
      const other = spot && front && front.id !== from?.id ? front.name : '';
      setInFront(other);
      hoverProposals(spot);
      hoverPreview(other ? null : spot);
    },
    [from?.id, hoverProposals, hoverPreview],
  );
  const overlay = remainder.hatching ?? proposals.borders;
  const marking = useMemo(
    () => from && choosingMarks(tool, pieces !== null, numbers.size, { masks, strokes, onMark, overlay, onHover }),
    [tool, from, pieces, masks, onMark, strokes, numbers.size, overlay, onHover],
  );
  return {
    marking,
    masks,
    compare,
    compared,
    proposals: proposals.found,
    remainder,
    inFront: tool === 'pick' ? '' : inFront,
    isChoosing: useSlow(selection.isFetching || islands.isFetching),
    isComputing: selection.isFetching || islands.isFetching || proposals.isComputing || isComparing,
    chosen: isChosen ? selection.data : undefined,
    islands: pieces ? islands.data : undefined,
    problem:
      (gestures.length > 0 && selection.error?.message) ||
      (pieces && islands.error?.message) ||
      (tool === 'proposed' && proposals.error?.message) ||
      '',
  };
}

const areaOf = ({ box }: Row) => (box?.[2] ?? 0) * (box?.[3] ?? 0);

function largest(parts: readonly Row[]): Row | undefined {
  return parts.reduce<Row | undefined>((most, row) => (most && areaOf(most) >= areaOf(row) ? most : row), undefined);
}
