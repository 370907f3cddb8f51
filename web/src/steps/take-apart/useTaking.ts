/** What is being taken out: gestures become a selection at once, and a selection a part when the artist says so. */
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import { body, client, Refusal, type Schemas } from '../../api/client';
import { partColour } from '../../ledger/colours';
import type { Marking, MarkKeys, MarkKind, Mask } from '../../pile/marks';
import type { Spot } from '../../pile/view';

type Gesture = Schemas['GestureRequest'];
type Edge = Required<Schemas['EdgeRequest']>;
export type Behind = NonNullable<Schemas['TakeOutRequest']['behind']>;
export type Tool = 'pick' | 'same-colour' | 'inside-lines' | 'island' | 'draw-round' | 'point-to-point';
export type How = 'instead' | 'add' | 'subtract' | 'intersect';

export interface Numbers {
  distance: number;
  connected: boolean;
  gap: number;
  darkness: number;
  line: 'part' | 'shared' | 'apart';
}

const NUMBERS: Numbers = { distance: 8, connected: true, gap: 6, darkness: 20, line: 'part' };
/** What counts as a piece until the artist says otherwise, in pixels. */
export const FIRST_PIECES = { gap: 0, smallest: 16 };
const NO_EDGE: Edge = { grow: 0, smooth: 0, soft: 0 };
/** Milliseconds that a number rests before its effect is asked for. */
const REST = 120;
const CHOSEN = '#0b6f78';

const KINDS: Record<Exclude<Tool, 'pick'>, MarkKind> = {
  'same-colour': 'pixel',
  'inside-lines': 'pixel',
  island: 'pixel',
  'draw-round': 'line',
  'point-to-point': 'corners',
};

interface Props {
  illustration: number;
  view: Arrangement | undefined;
  current: string | null;
  perform: (send: (version: number) => Promise<Arrangement>) => void;
  onTaken: (rows: readonly string[], from: string) => void;
}

/** A gesture with the numbers that its tool has now; what it lacks of them is not sent. */
function stated(gesture: Gesture, numbers: Numbers): Gesture {
  const { distance, connected, gap, darkness, line } = numbers;
  if (gesture.tool === 'same-colour') return { ...gesture, distance, connected };
  if (gesture.tool === 'inside-lines') return { ...gesture, gap, darkness, line };
  if (gesture.tool === 'island') return { ...gesture, gap };
  return gesture;
}

async function bitmapOf(base64: string): Promise<ImageBitmap> {
  const bytes = Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));
  return createImageBitmap(new Blob([bytes], { type: 'image/png' }));
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

export function useTaking({ illustration, view, current, perform, onTaken }: Props) {
  const queries = useQueryClient();
  const parts = useMemo(() => view?.rows.filter((row) => row.kind === 'part') ?? [], [view]);
  const from: Row | undefined = parts.find((row) => row.id === current) ?? (parts.length === 1 ? parts[0] : undefined);
  const [tool, setTool] = useState<Tool>('same-colour');
  const [how, setHow] = useState<How>('instead');
  const [numbers, setNumbers] = useState(NUMBERS);
  const [gestures, setGestures] = useState<readonly Gesture[]>([]);
  const [edge, setEdge] = useState(NO_EDGE);
  const [behind, setBehind] = useState<Behind>('flat');
  const [colour, setColour] = useState('#ffffff');
  const [name, setName] = useState('');
  const [pieces, setPieces] = useState<{ gap: number; smallest: number } | null>(null);
  const [problem, setProblem] = useState('');
  const params = useMemo(() => ({ path: { illustration } }), [illustration]);
  const art = from && JSON.stringify([from.id, from.frames, from.offset]);
  const clear = useCallback(() => {
    setGestures([]);
    setPieces(null);
    setProblem('');
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: gestures are on the art that they were made on
  useEffect(clear, [art]);

  const asked = useRested(
    useMemo(() => ({ art, row: from?.id ?? '', gestures, edge }), [art, from?.id, gestures, edge]),
  );
  const selection = useQuery({
    queryKey: ['selection', illustration, asked],
    enabled: asked.gestures.length > 0,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const { row, gestures: made, edge: wanted } = asked;
      const request = { row, gestures: [...made], edge: wanted };
      const found = await body(
        client.POST('/api/illustrations/{illustration}/selection', { params, body: request, signal }),
      );
      return { ...found, picture: await bitmapOf(found.mask) };
    },
  });
  const wantedPieces = useRested(pieces);
  const islands = useQuery({
    queryKey: ['islands', illustration, art, wantedPieces],
    enabled: wantedPieces !== null && from !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const request = { row: from?.id ?? '', ...(wantedPieces ?? FIRST_PIECES) };
      const found = await body(
        client.POST('/api/illustrations/{illustration}/islands', { params, body: request, signal }),
      );
      const pictures = await Promise.all(found.pieces.map((piece) => bitmapOf(piece.mask)));
      return { ...found, pictures };
    },
  });

  const isChosen = gestures.length > 0 && !selection.error;
  const masks = useMemo((): Mask[] => {
    if (pieces !== null && islands.data) {
      const { pieces: found, pictures } = islands.data;
      return found.flatMap(({ box }, at) => {
        const picture = pictures[at];
        return picture ? [{ picture, box, colour: partColour(at + 1) }] : [];
      });
    }
    if (!isChosen || !selection.data) return [];
    return [{ picture: selection.data.picture, box: selection.data.box, colour: CHOSEN }];
  }, [pieces, islands.data, isChosen, selection.data]);

  const onMark = useCallback(
    (points: readonly Spot[], keys: MarkKeys) => {
      if (tool === 'pick') return;
      setProblem('');
      setPieces(null);
      setGestures((before) => {
        const wanted: How = keys.subtract ? 'subtract' : keys.add ? 'add' : how;
        const [first] = points;
        const at = first && [first.x, first.y];
        const places = points.map(({ x, y }) => [Math.round(x * 8) / 8, Math.round(y * 8) / 8]);
        const made: Gesture =
          KINDS[tool] === 'pixel'
            ? stated({ tool: tool as Gesture['tool'], how: wanted, ...(at && { at }) }, numbers)
            : { tool: 'draw-round', how: wanted, points: places };
        return wanted === 'instead' ? [made] : [...before, made];
      });
    },
    [tool, how, numbers],
  );
  const marking = useMemo(
    (): Marking | undefined => (tool === 'pick' || !from ? undefined : { kind: KINDS[tool], masks, onMark }),
    [tool, from, masks, onMark],
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

  const send = (request: Pick<Schemas['TakeOutRequest'], 'parts' | 'separate'>, copy = false) => {
    if (!from) return;
    const row = from.id;
    setProblem('');
    perform(async (version) => {
      const filling = behind === 'colour' ? { colour: channels(colour) } : {};
      try {
        const answer = await body(
          client.POST('/api/illustrations/{illustration}/take-out', {
            params,
            body: { version, row, behind, copy, ...filling, ...request },
          }),
        );
        clear();
        setName('');
        // The next part may be in the same one, if that is still there.
        onTaken(answer.taken, row);
        return answer.arrangement;
      } catch (error) {
        if (!(error instanceof Refusal) || error.status === 0 || error.status >= 500) throw error;
        setProblem(error.message);
        return body(client.GET('/api/illustrations/{illustration}/arrangement', { params }));
      } finally {
        void queries.invalidateQueries({ queryKey: ['illustration', illustration] });
      }
    });
  };
  const takeOut = (copy: boolean) =>
    send({ parts: [{ name: name.trim() || 'part', gestures: [...gestures], edge }] }, copy);
  const takePieces = () => pieces && send({ separate: pieces });

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
    setBehind,
    colour,
    setColour,
    name,
    setName,
    pieces,
    setPieces,
    clear,
    marking,
    takeOut,
    takePieces,
    isComputing: selection.isFetching || islands.isFetching,
    chosen: isChosen ? selection.data : undefined,
    islands: pieces ? islands.data : undefined,
    problem: problem || (gestures.length > 0 && selection.error?.message) || (pieces && islands.error?.message) || '',
  };
}

export type Taking = ReturnType<typeof useTaking>;

function channels(colour: string): number[] {
  return [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16));
}
