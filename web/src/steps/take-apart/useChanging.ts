/** A part is changed in place: what lies beneath its neighbours, the edge at which it was taken out, its colour. */
import { useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState } from 'react';
import type { Row } from '../../api/calls';
import { body, client, type Schemas } from '../../api/client';
import { bitmapOf } from '../../pile/bitmaps';
import type { Circle, Marking, MarkKeys, Mask, Stroke } from '../../pile/marks';
import type { Spot } from '../../pile/view';
import { type Change, channels } from './change';

export type Fill = NonNullable<Schemas['ChangeRequest']['fill']>;
export type Work = 'paint-under' | 'round-off' | 'touch-up';
type Numbers = Omit<Schemas['ChangeRequest'], 'version' | 'row'>;

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
  const params = useMemo(() => ({ path: { illustration } }), [illustration]);
  const [size, setSize] = useState(24);
  const [hardness, setHardness] = useState(1);
  const [gives, setGives] = useState(false);
  const [strokes, setStrokes] = useState<readonly (Stroke & { how: 'add' | 'subtract'; hardness: number })[]>([]);
  const [joint, setJoint] = useState<Circle | null>(null);
  const [fill, setFill] = useState<Fill>('onward');
  const [colour, setColour] = useState('#ffffff');
  const [twin, setTwin] = useState('');
  const [isAddedSeen, setAddedSeen] = useState(false);
  const [problem, setProblem] = useState('');
  const clear = useCallback(() => {
    setStrokes([]);
    setJoint(null);
    setProblem('');
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: strokes are on the art, and for the work, that they were made for
  useEffect(clear, [art, work]);
  const row = from?.id;
  const added = useQuery({
    queryKey: ['added', illustration, art],
    enabled: isAddedSeen && row !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    queryFn: async ({ signal }) => {
      const request = { row: row ?? '' };
      const found = await body(
        client.POST('/api/illustrations/{illustration}/added', { params, body: request, signal }),
      );
      return { ...found, picture: await bitmapOf(found.mask) };
    },
  });
  const masks = useMemo((): Mask[] => {
    const { data } = added;
    return isAddedSeen && data && data.pixels > 0 ? [{ picture: data.picture, box: data.box, colour: ADDED }] : [];
  }, [isAddedSeen, added]);

  const onMark = useCallback(
    (points: readonly Spot[], keys: MarkKeys) => {
      const [first] = points;
      setProblem('');
      if (work === 'round-off') {
        if (!first || !row) return;
        const at = { x: first.x + 0.5, y: first.y + 0.5 };
        client
          .POST('/api/illustrations/{illustration}/limb', { params, body: { row, at: [at.x, at.y] } })
          .then((answer) => body(Promise.resolve(answer)))
          .then(({ radius }) => setJoint({ at, radius: Math.round(radius * 10) / 10 }))
          .catch((error: Error) => setProblem(error.message));
        return;
      }
      const how = keys.subtract !== (gives && !keys.add) ? 'subtract' : 'add';
      setStrokes((before) => [...before, { points, size, hardness, how, colour: how === 'add' ? MORE : LESS }]);
    },
    [work, row, params, size, hardness, gives],
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

  const send = (numbers: Numbers) =>
    change(async (version, of) =>
      body(client.POST('/api/illustrations/{illustration}/change', { params, body: { version, row: of, ...numbers } })),
    );
  const filling = () => ({
    fill,
    ...(fill === 'colour' && { colour: channels(colour) }),
    ...(twin !== '' && { twin }),
  });
  const painted = () =>
    strokes.map(({ points, size: wide, hardness: hard, how }) => ({
      points: points.map(({ x, y }) => [rounded(x), rounded(y)]),
      size: wide,
      hardness: hard,
      how,
    }));

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
    twin,
    setTwin,
    isAddedSeen,
    setAddedSeen,
    added: isAddedSeen ? added.data : undefined,
    marking,
    problem: problem || (isAddedSeen && added.error?.message) || '',
    growUnder: (by: number) => send({ do: 'grow-under', by, ...filling() }),
    roundOff: () =>
      joint && send({ do: 'round-off', at: [joint.at.x, joint.at.y], radius: joint.radius, ...filling() }),
    paintUnder: () => send({ do: 'paint-under', strokes: painted(), ...filling() }),
    touchUp: () => send({ do: 'touch-up', strokes: painted() }),
    removeAdded: () => send({ do: 'remove-added' }),
    putBackdrop: (colours: readonly string[]) =>
      change(async (version, of) => {
        const request = { version, colours: colours.map(channels) };
        const answer = await body(client.POST('/api/illustrations/{illustration}/backdrop', { params, body: request }));
        onKept(of);
        return answer.arrangement;
      }),
    dye: (wanted: string, shaded: boolean) => send({ do: 'dye', colour: channels(wanted), shaded }),
  };
}

export type Changing = ReturnType<typeof useChanging>;

/** Eighths of a pixel are finer than any hand. */
const rounded = (value: number) => Math.round(value * 8) / 8;
