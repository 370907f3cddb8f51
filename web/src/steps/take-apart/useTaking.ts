/** What is being taken out: gestures become a selection at once, and a selection a part when the artist says so. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import { body, client, type Schemas } from '../../api/client';
import type { Command } from '../../api/steps';
import { partColour } from '../../ledger/colours';
import type { Act } from '../../ledger/useArrangement';
import { bitmapOf } from '../../pile/bitmaps';
import type { Marking, MarkKeys, MarkKind, Mask, Stroke } from '../../pile/marks';
import type { Spot } from '../../rules/places';
import { artOf, type Change, channels } from './change';
import { firstOf, numberAt, type Pieces, withJoined, withLeftOut } from './pieces';
import { useChanging, type Work } from './useChanging';
import { useFindings } from './useFindings';
import { useProposals } from './useProposals';

type Gesture = Schemas['Gestures'][number];
type Scribble = Extract<Gesture, { tool: 'scribble' }>;
type Mark = Scribble['inside'][number];
type Edge = Required<Schemas['Edge']>;
export type Behind = 'empty' | 'flat' | 'painted' | 'colour';
export type Tool =
  | 'pick'
  | 'proposed'
  | 'same-colour'
  | 'inside-lines'
  | 'scribble'
  | 'island'
  | 'draw-round'
  | 'point-to-point'
  | 'rectangle'
  | 'ellipse'
  | 'brush';
/** What is done with the part: taken out of it, completed beneath its neighbours, changed at its edge, or looked over. */
export type Page = 'take-out' | 'beneath' | 'edge' | 'check';
/** What is seen of the pile while a part is worked on. */
export type Looking = 'all' | 'alone' | 'without';
export type How = 'instead' | 'add' | 'subtract' | 'intersect';

export interface Numbers {
  distance: number;
  connected: boolean;
  gap: number;
  darkness: number;
  line: 'part' | 'shared' | 'apart';
  /** Into how many regions the part is divided where proposals are chosen. */
  regions: number;
  /** Of the brush and of marks, in pixels. */
  size: number;
}

const NUMBERS: Numbers = { distance: 8, connected: true, gap: 6, darkness: 20, line: 'part', regions: 40, size: 24 };
/** Past the smoothed pixels of the old edge, and as soft as that was. */
const FIRST_EDGE: Edge = { grow: 1, smooth: 0, soft: 2 };
/** Milliseconds that a number rests before its effect is asked for. */
const REST = 120;
/** Milliseconds of computing after which it is said. */
const SLOW = 500;
const CHOSEN = '#0b6f78';
const DIFFERENT = '#d5342a';

const KINDS: Record<Exclude<Tool, 'pick'>, MarkKind> = {
  proposed: 'pixel',
  'same-colour': 'pixel',
  'inside-lines': 'pixel',
  island: 'pixel',
  scribble: 'stroke',
  'draw-round': 'line',
  'point-to-point': 'corners',
  rectangle: 'rectangle',
  ellipse: 'ellipse',
  brush: 'stroke',
};

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

/** A gesture with the numbers that its tool has now; what it lacks of them is not sent. */
function stated(gesture: Gesture, numbers: Numbers): Gesture {
  const { distance, connected, gap, darkness, line, regions, size } = numbers;
  if (gesture.tool === 'same-colour') return { ...gesture, distance, connected };
  if (gesture.tool === 'inside-lines') return { ...gesture, gap, darkness, line };
  if (gesture.tool === 'proposed') return { ...gesture, regions };
  if (gesture.tool === 'island') return { ...gesture, gap };
  if (gesture.tool === 'scribble' || gesture.tool === 'brush') return { ...gesture, size };
  return gesture;
}

/** What a tool makes of a click at a pixel, or of places on the canvas. */
function gestureOf(
  tool: Exclude<Tool, 'pick' | 'scribble'>,
  how: How,
  at: [number, number],
  points: Mark,
  numbers: Numbers,
): Gesture {
  switch (tool) {
    case 'same-colour':
    case 'inside-lines':
    case 'proposed':
    case 'island':
      return stated({ tool, how, at }, numbers);
    case 'brush':
      return stated({ tool, how, points }, numbers);
    default:
      return { tool: 'draw-round', how, points };
  }
}

/** Marks belong together until something else is done: those with Alt lie outside of what is meant. */
function scribbled(
  before: readonly Gesture[],
  mark: Mark,
  isOutside: boolean,
  how: How,
  numbers: Numbers,
): readonly Gesture[] {
  const last = before[before.length - 1];
  const marks: Scribble =
    last?.tool === 'scribble'
      ? last
      : {
          tool: 'scribble',
          how: how === 'subtract' ? 'instead' : how,
          inside: [],
          outside: [],
          size: numbers.size,
        };
  const side = isOutside ? 'outside' : 'inside';
  const next: Scribble = { ...marks, [side]: [...(marks[side] ?? []), mark] };
  if (last?.tool === 'scribble') return [...before.slice(0, -1), next];
  return next.how === 'instead' ? [next] : [...before, next];
}

/** A value once it has not changed for a moment. */
function useRested<T>(value: T): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setRested(value), REST);
    return () => window.clearTimeout(timer);
  }, [value]);
  return rested;
}

/** Whether something has been going on for longer than a moment. */
function useSlow(isGoing: boolean): boolean {
  const [isSlow, setSlow] = useState(false);
  useEffect(() => {
    if (!isGoing) {
      setSlow(false);
      return;
    }
    const timer = window.setTimeout(() => setSlow(true), SLOW);
    return () => window.clearTimeout(timer);
  }, [isGoing]);
  return isSlow;
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
  const params = useMemo(() => ({ path: { illustration } }), [illustration]);
  const art = useMemo(() => from && artOf(from), [from]);
  const clear = useCallback(() => {
    setGestures([]);
    setPieces(null);
    setProblem('');
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: gestures are on the art that they were made on
  useEffect(clear, [art]);

  const frame = from && from.frames.length > 1 ? moment % from.frames.length : 0;
  const asked = useRested(
    useMemo(() => ({ art, row: from?.id ?? '', gestures, edge, frame }), [art, from?.id, gestures, edge, frame]),
  );
  const selection = useQuery({
    queryKey: ['selection', illustration, asked],
    enabled: asked.gestures.length > 0,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const { row, gestures: made, edge: wanted, frame: at } = asked;
      const request = { row, gestures: [...made], edge: wanted, frame: at };
      const found = await body(
        client.POST('/api/illustrations/{illustration}/selection', { params, body: request, signal }),
      );
      return { ...found, picture: await bitmapOf(found.mask) };
    },
  });
  const wantedPieces = useRested(pieces && `${pieces.gap} ${pieces.smallest}`);
  const islands = useQuery({
    queryKey: ['islands', illustration, art, wantedPieces],
    enabled: wantedPieces !== null && from !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const [gap = 0, smallest = 1] = (wantedPieces ?? '').split(' ').map(Number);
      const request = { row: from?.id ?? '', gap, smallest };
      const found = await body(
        client.POST('/api/illustrations/{illustration}/islands', { params, body: request, signal }),
      );
      const pictures = await Promise.all(found.pieces.map((piece) => bitmapOf(piece.mask)));
      return { ...found, pictures };
    },
  });

  const proposals = useProposals(
    illustration,
    from?.id,
    art,
    numbers.regions,
    isOpen && page === 'take-out' && tool === 'proposed',
  );
  const [comparedAt, setComparedAt] = useState<number | null>(null);
  const version = view?.version;
  const difference = useQuery({
    queryKey: ['difference', illustration, version],
    enabled: isOpen && comparedAt !== null && comparedAt === version,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    queryFn: async ({ signal }) => {
      const found = await body(client.GET('/api/illustrations/{illustration}/difference', { params, signal }));
      return { ...found, picture: await bitmapOf(found.mask) };
    },
  });
  const compared = comparedAt === version ? difference.data : undefined;
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
      if (tool === 'pick') return;
      setGestures((before) => {
        const wanted: How = keys.subtract ? 'subtract' : keys.add ? 'add' : how;
        const [first] = points;
        if (!first) return before;
        const places: Mark = points.map(({ x, y }) => [Math.round(x * 8) / 8, Math.round(y * 8) / 8]);
        if (tool === 'scribble') return scribbled(before, places, keys.subtract, wanted, numbers);
        const made = gestureOf(tool, wanted, [first.x, first.y], places, numbers);
        return wanted === 'instead' && tool !== 'brush' ? [made] : [...before, made];
      });
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
    compare: () => setComparedAt(version ?? null),
    compared,
    proposals: proposals.found,
    isChoosing,
    isComputing: selection.isFetching || islands.isFetching || proposals.isComputing || difference.isFetching,
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

/** The marks of a scribble, to be seen while the border between them is looked for. */
function marksOf(gesture: Gesture): Stroke[] {
  if (gesture.tool !== 'scribble') return [];
  const drawn = (marks: readonly Mark[] | undefined, colour: string) =>
    (marks ?? []).map((mark) => ({
      points: mark.map(([x, y]) => ({ x, y })),
      size: gesture.size ?? 1,
      colour,
    }));
  return [...drawn(gesture.inside, CHOSEN), ...drawn(gesture.outside, DIFFERENT)];
}
