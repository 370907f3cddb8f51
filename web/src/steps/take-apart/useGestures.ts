/** What has been chosen so far, by gestures or as separate pieces, and the tool that chooses. */

import { useCallback, useEffect, useRef, useState } from 'react';
import type { MarkKeys } from '../../pile/marks';
import type { Spot } from '../../rules/places';
import {
  type Edge,
  type Gesture,
  type How,
  NUMBERS,
  type Numbers,
  stated,
  stepped,
  type Tool,
  withMark,
  withoutLast,
} from './gestures';
import type { Pieces } from './pieces';

const NO_KEYS: MarkKeys = { add: false, subtract: false };
/** Past the smoothed pixels of the old edge, and as soft as that was. */
const FIRST_EDGE: Edge = { grow: 1, smooth: 0, soft: 2 };

/** `art` is what the gestures are made on: with another one they begin anew. */
export function useGestures(art: string | undefined) {
  const [tool, setTool] = useState<Tool>('clicked');
  const [how, setHow] = useState<How>('instead');
  const [numbers, setNumbers] = useState(NUMBERS);
  const [gestures, setGestures] = useState<readonly Gesture[]>([]);
  const [edge, setEdge] = useState(FIRST_EDGE);
  const [pieces, setPieces] = useState<Pieces | null>(null);
  const clear = useCallback(() => {
    setGestures([]);
    setPieces(null);
  }, []);
  const next = useRef<readonly Spot[] | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: gestures are on the art that they were made on
  useEffect(() => {
    clear();
    if (next.current && tool !== 'pick') setGestures(withMark([], tool, 'instead', numbers, next.current, NO_KEYS));
    next.current = null;
  }, [art]);
  const mark = useCallback(
    (points: readonly Spot[], keys: MarkKeys) => {
      if (tool !== 'pick') setGestures((before) => withMark(before, tool, how, numbers, points, keys));
    },
    [tool, how, numbers],
  );
  return {
    tool,
    setTool,
    how,
    setHow,
    numbers,
    /** Numbers change what was chosen last, while that was done with the tool they belong to. */
    changeNumbers: (change: Partial<Numbers>) => {
      const next = { ...numbers, ...change };
      setNumbers(next);
      setGestures((before) => {
        const last = before[before.length - 1];
        return last?.tool === tool ? [...before.slice(0, -1), stated(last, next)] : before;
      });
    },
    gestures,
    mark,
    /** A mark for the art as it will be; null: there is none any more. */
    setNext: (points: readonly Spot[] | null) => {
      next.current = points;
    },
    step: (by: number) => setGestures((before) => stepped(before, by)),
    dropLast: () => setGestures(withoutLast),
    edge,
    setEdge,
    pieces,
    setPieces,
    clear,
  };
}

export type Gestures = ReturnType<typeof useGestures>;
