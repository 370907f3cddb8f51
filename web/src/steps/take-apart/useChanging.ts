/** A part is changed in place: what lies beneath its neighbours, the edge at which it was taken out, its colour. */
import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState } from 'react';
import type { Row } from '../../api/calls';
import { askAdded, askLimb } from '../../api/questions';
import { bitmapOf } from '../../pile/bitmaps';
import type { Circle, Marking, MarkKeys, Mask, Stroke } from '../../pile/marks';
import type { Spot } from '../../rules/places';
import { type Change, channels } from './change';

export type Fill = 'onward' | 'flat' | 'painted' | 'colour';
export type Work = 'paint-under' | 'round-off' | 'touch-up';

const MORE = '#0b6f78';
const LESS = '#d5342a';
const ADDED = '#7a3fb5';

interface Props {
  illustration: number;
  from: Row | undefined;
  /** What tells the part's pixels from what they were. */
  art: string | undefined;
  work: Work | null;
  change: Change;
  /** The part that is worked on stays the one that is chosen. */
  onKept: (row: string) => void;
}

export function useChanging({ illustration, from, art, work, change, onKept }: Props) {
  const [size, setSize] = useState(24);
  const [hardness, setHardness] = useState(1);
  const [gives, setGives] = useState(false);
  const [strokes, setStrokes] = useState<readonly Painted[]>([]);
  const [joint, setJoint] = useState<Circle | null>(null);
  const [fill, setFill] = useState<Fill>('onward');
  const [colour, setColour] = useState('#ffffff');
  const [mirrorSource, setMirrorSource] = useState('');
  const [problem, setProblem] = useState('');
  const clear = useCallback(() => {
    setStrokes([]);
    setJoint(null);
    setProblem('');
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: strokes are on the art, and for the work, that they were made for
  useEffect(clear, [art, work]);
  const row = from?.id;
  const added = useAdded(illustration, row, art);
  const { masks } = added;

  const onMark = useCallback(
    (points: readonly Spot[], keys: MarkKeys) => {
      const [first] = points;
      setProblem('');
      if (work === 'round-off') {
        if (!first || !row) return;
        const at = { x: first.x + 0.5, y: first.y + 0.5 };
        askLimb(illustration, row, [at.x, at.y])
          .then(({ radius }) => setJoint({ at, radius: Math.round(radius * 10) / 10 }))
          .catch((error: Error) => setProblem(error.message));
        return;
      }
      const how = keys.subtract !== (gives && !keys.add) ? 'subtract' : 'add';
      setStrokes((before) => [...before, { points, size, hardness, how, colour: how === 'add' ? MORE : LESS }]);
    },
    [work, row, illustration, size, hardness, gives],
  );
  const marking = useMemo(
    (): Marking | undefined =>
      from && work
        ? {
            kind: work === 'round-off' ? 'pixel' : 'stroke',
            masks,
            onMark,
            strokes,
            circle: joint,
            ...(work !== 'round-off' && { brush: { size, colour: gives ? LESS : MORE } }),
          }
        : from && masks.length > 0
          ? { kind: null, masks, onMark }
          : undefined,
    [from, work, masks, onMark, strokes, joint, size, gives],
  );

  const filling = () => ({ fill: fill === 'colour' ? channels(colour) : fill, mirror_source: mirrorSource || null });
  const painted = () => strokes.map(asSaid);

  return {
    size,
    setSize,
    hardness,
    setHardness,
    gives,
    setGives,
    strokes,
    dropLast: () => setStrokes((before) => before.slice(0, -1)),
    clear,
    joint,
    setJoint,
    fill,
    setFill,
    colour,
    setColour,
    mirrorSource,
    setMirrorSource,
    isAddedSeen: added.isSeen,
    setAddedSeen: added.setSeen,
    added: added.found,
    marking,
    problem: problem || added.problem,
    growUnder: (by: number) => change((of) => ({ do: 'grow-under', row: of, by, ...filling() })),
    roundOff: () => {
      if (!joint) return;
      const { at, radius } = joint;
      change((of) => ({ do: 'round-off', row: of, at: [at.x, at.y], radius, ...filling() }));
    },
    paintUnder: () => change((of) => ({ do: 'paint-under', row: of, strokes: painted(), ...filling() })),
    touchUp: () => change((of) => ({ do: 'touch-up', row: of, strokes: painted() })),
    removeAdded: () => change((of) => ({ do: 'remove-added', row: of })),
    putBackdrop: (colours: readonly string[]) => {
      const kept = row;
      change(
        () => ({ do: 'put-backdrop', colours: colours.map(channels) }),
        () => kept !== undefined && onKept(kept),
      );
    },
    dye: (wanted: string, shaded: boolean) =>
      change((of) => ({ do: 'dye', row: of, colour: channels(wanted), shaded })),
  };
}

export type Changing = ReturnType<typeof useChanging>;

/** Eighths of a pixel are finer than any hand. */
const rounded = (value: number) => Math.round(value * 8) / 8;

type Painted = Stroke & { how: 'add' | 'subtract'; hardness: number };

/** A stroke as a command says it. */
const asSaid = ({ points, size, hardness, how }: Painted) => ({
  tool: 'brush' as const,
  points: points.map(({ x, y }): [number, number] => [rounded(x), rounded(y)]),
  size,
  hardness,
  how,
});

/** What of a part was filled in, once somebody wants to see it. */
function useAdded(illustration: number, row: string | undefined, art: string | undefined) {
  const [isSeen, setSeen] = useState(false);
  const query = useQuery({
    queryKey: ['added', illustration, art],
    enabled: isSeen && row !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    queryFn: async ({ signal }) => {
      const found = await askAdded(illustration, row ?? '', signal);
      return { ...found, picture: await bitmapOf(found.mask) };
    },
  });
  const masks = useMemo((): Mask[] => {
    const { data } = query;
    return isSeen && data && data.pixels > 0 ? [{ picture: data.picture, box: data.box, colour: ADDED }] : [];
  }, [isSeen, query]);
  return {
    isSeen,
    setSeen,
    found: isSeen ? query.data : undefined,
    masks,
    problem: (isSeen && query.error?.message) || '',
  };
}
