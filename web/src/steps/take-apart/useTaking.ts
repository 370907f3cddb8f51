import { useCallback, useEffect, useMemo, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import type { Command } from '../../api/steps';
import { partColour } from '../../ledger/colours';
import type { Act } from '../../ledger/useArrangement';
import type { Marking, MarkKeys, Mask } from '../../pile/marks';
import { artOf } from '../../rules/art';
import type { Spot } from '../../rules/places';
import { type Change, channels } from './change';
import {
  CHOSEN,
  DIFFERENT,
  type Edge,
  type Gesture,
  type How,
  KINDS,
  marksOf,
  NUMBERS,
  type Numbers,
  stated,
  type Tool,
  withMark,
} from './gestures';
import { firstOf, numberAt, type Pieces, withJoined, withLeftOut } from './pieces';
import { useChanging, type Work } from './useChanging';
import { useFindings } from './useFindings';
import { useProposals } from './useProposals';
import { useSlow } from './useRested';
import { useDifference, useSelection, useSeparate } from './useSelection';

export type Behind = 'empty' | 'flat' | 'painted' | 'colour';
/** What is done with the part: taken out of it, completed beneath its neighbours, changed at its edge, or looked over. */
export type Page = 'take-out' | 'beneath' | 'edge' | 'check';
/** What is seen of the pile while a part is worked on. */
export type Looking = 'all' | 'alone' | 'without';
/** Past the smoothed pixels of the old edge, and as soft as that was. */
const FIRST_EDGE: Edge = { grow: 1, smooth: 0, soft: 2 };
interface Props {
  illustration: number;
  view: Arrangement | undefined;
  current: string | null;
  /** Whether the step is open: nothing is computed for one that nobody looks at. */
  isOpen: boolean;
  /** Which frame of what moves is seen. */
  moment: number;
  onMoment: (moment: number) => void;
  act: Act;
  onTaken: (rows: readonly string[], from: string) => void;
}

export function useTaking({ illustration, view, current, isOpen, moment, onMoment, act, onTaken }: Props) {
  const parts = useMemo(() => view?.rows.filter((row) => row.kind === 'part') ?? [], [view]);
  // Until somebody chooses one, it is the largest: most is still to be taken out of that.
  const from: Row | undefined = parts.find((row) => row.id === current) ?? largest(parts);
  const [page, setPage] = useState<Page>('take-out');
  const [work, setWork] = useState<Work>('paint-under');
  const [looking, setLooking] = useState<Looking>('all');
  const [tool, setTool] = useState<Tool>('proposed');
  const [how, setHow] = useState<How>('instead');
  const [numbers, setNumbers] = useState(NUMBERS);
  const [gestures, setGestures] = useState<readonly Gesture[]>([]);
  const [edge, setEdge] = useState(FIRST_EDGE);
  const [behind, setBehind] = useState<Behind>('flat');
  const [colour, setColour] = useState('#ffffff');
  const [name, setName] = useState('');
  const [pieces, setPieces] = useState<Pieces | null>(null);
  const [problem, setProblem] = useState('');
  const art = useMemo(() => from && artOf(from), [from]);
  const clear = useCallback(() => {
    setGestures([]);
    setPieces(null);
    setProblem('');
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: gestures are on the art that they were made on
  useEffect(clear, [art]);

  const frame = from && from.frames.length > 1 ? moment % from.frames.length : 0;
  const selection = useSelection(illustration, from, art, gestures, edge, frame);
  const islands = useSeparate(illustration, from, art, pieces);

  const proposals = useProposals(
    illustration,
    from?.id,
    art,
    numbers.regions,
    isOpen && page === 'take-out' && tool === 'proposed',
  );
  const version = view?.version;
  const { compared, compare, isFetching: isComparing } = useDifference(illustration, version, isOpen);
  const isChosen = gestures.length > 0 && !selection.error;
  const masks = useMemo((): Mask[] => {
    if (pieces !== null && islands.data) {
      const { pieces: found, pictures } = islands.data;
      return found.flatMap(({ box }, at) => {
        const picture = pictures[at];
        if (!picture || pieces.leftOut.includes(at + 1)) return [];
        return [{ picture, box, colour: partColour(firstOf(pieces, at + 1)) }];
      });
    }
    if (compared && compared.differing > 0 && gestures.length === 0) {
      const { picture } = compared;
      return [{ picture, box: [0, 0, picture.width, picture.height], colour: DIFFERENT }];
    }
    const hovered = tool === 'proposed' && proposals.hovered ? [proposals.hovered] : [];
    if (!isChosen || !selection.data) return hovered;
    return [...hovered, { picture: selection.data.picture, box: selection.data.box, colour: CHOSEN }];
  }, [pieces, islands.data, isChosen, selection.data, tool, proposals.hovered, compared, gestures.length]);

  const onMark = useCallback(
    (points: readonly Spot[], keys: MarkKeys) => {
      setProblem('');
      if (pieces !== null) {
        const [at] = points;
        const number = at && islands.data ? numberAt(islands.data, at) : 0;
        if (number) setPieces(keys.add ? withJoined(pieces, number) : withLeftOut(pieces, number));
        return;
      }
      if (tool !== 'pick') setGestures((before) => withMark(before, tool, how, numbers, points, keys));
    },
    [tool, how, numbers, pieces, islands.data],
  );
  const strokes = useMemo(() => gestures.flatMap(marksOf), [gestures]);
  const choosing = useMemo(
    (): Marking | undefined =>
      (tool === 'pick' && pieces === null) || !from
        ? undefined
        : {
            kind: pieces !== null || tool === 'pick' ? 'pixel' : KINDS[tool],
            masks,
            onMark,
            strokes,
            ...(pieces === null &&
              tool !== 'pick' &&
              KINDS[tool] === 'stroke' && { brush: { size: numbers.size, colour: CHOSEN } }),
            ...(pieces === null && tool === 'proposed' && { overlay: proposals.borders, onHover: proposals.onHover }),
          },
    [tool, from, pieces, masks, onMark, strokes, numbers.size, proposals.borders, proposals.onHover],
  );

  /** Numbers change what was chosen last, while that was done with the tool they belong to. */
  const changeNumbers = (change: Partial<Numbers>) => {
    const next = { ...numbers, ...change };
    setNumbers(next);
    setGestures((before) => {
      const last = before[before.length - 1];
      return last?.tool === tool ? [...before.slice(0, -1), stated(last, next)] : before;
    });
  };

  const change: Change = (make, made) => {
    if (!from) return;
    setProblem('');
    act(make(from.id), { refused: (refusal) => setProblem(refusal.message), ...(made && { made }) });
  };
  const findings = useFindings({ illustration, version, isOpen: isOpen && page === 'check', change, onMoment });
  const lookedOver = useMemo(
    (): Marking => ({ kind: null, masks: findings.mask ? [findings.mask] : masks, onMark }),
    [findings.mask, masks, onMark],
  );
  const changing = useChanging({
    illustration,
    from,
    art,
    work: page === 'take-out' || page === 'check' ? null : work,
    change,
    onKept: (row) => onTaken([row], row),
  });
  const filling = behind === 'colour' ? channels(colour) : behind === 'empty' ? null : behind;
  const take = (make: (row: string) => Command) => {
    const row = from?.id ?? '';
    change(make, (made) => {
      clear();
      setName('');
      // The next part may be in the same one, if that is still there.
      onTaken(made, row);
    });
  };
  const takeOut = (copy: boolean) => {
    const parts = [{ name: name.trim() || 'part', gestures: [...gestures], edge }];
    take((row) => ({ do: 'take-out', row, parts, behind: filling, copy }));
  };
  const takeProposed = () => take((row) => ({ do: 'take-pieces', row, regions: numbers.regions, behind: filling }));
  const takePieces = () => {
    if (!pieces) return;
    const { gap, smallest, joined, leftOut } = pieces;
    const chosen = { gap, smallest, joined: joined.map((group) => [...group]), left_out: [...leftOut] };
    take((row) => ({ do: 'take-pieces', row, behind: filling, ...chosen }));
  };

  const isChoosing = useSlow(selection.isFetching || islands.isFetching);
  return {
    parts,
    from,
    tool,
    setTool,
    how,
    setHow,
    numbers,
    changeNumbers,
    gestures,
    dropLast: () => setGestures((before) => before.slice(0, -1)),
    edge,
    setEdge,
    behind,
    setBehind: (wanted: Behind) => {
      setBehind(wanted);
      // Over an empty place a soft edge would show it.
      if (wanted === 'empty') setEdge({ ...edge, soft: 0 });
    },
    colour,
    setColour,
    name,
    setName,
    pieces,
    setPieces,
    clear,
    page,
    setPage,
    work,
    setWork,
    looking,
    setLooking,
    changing,
    findings,
    marking: page === 'take-out' ? choosing : page === 'check' ? lookedOver : changing.marking,
    takeOut,
    takePieces,
    takeProposed,
    compare,
    compared,
    proposals: proposals.found,
    isChoosing,
    isComputing: selection.isFetching || islands.isFetching || proposals.isComputing || isComparing,
    chosen: isChosen ? selection.data : undefined,
    islands: pieces ? islands.data : undefined,
    problem:
      problem ||
      changing.problem ||
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

export type Taking = ReturnType<typeof useTaking>;
