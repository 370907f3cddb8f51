/** How the pile is looked at: flat, apart or compared, which part of it, and how large. */

import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { Extent, Spot } from '../rules/places';
import { STANCE } from './apart';
import { type Comparable, type CompareMode, screenOf } from './compare';
import type { Comparison } from './Looks';
import type { Look } from './pointer';
import { useWholePictures } from './usePictures';
import { useStable } from './useStable';
import { centred, type View, wholeIn, zoomedAt } from './view';

const LEAST_DEPTH_ZOOM = 0.3;
const MOST_DEPTH_ZOOM = 6;

export function usePileView(canvas: Extent, screen: Extent | null) {
  const [look, setLook] = useState<Look>('flat');
  const [stance, setStance] = useState(STANCE);
  const [depthZoom, setDepthZoom] = useState(1);
  const [mode, setMode] = useState<CompareMode>('slider');
  const [chosen, setChosen] = useState<View | null>(null);
  const half = useMemo(() => screen && screenOf(screen, look === 'compare' ? mode : 'slider'), [screen, look, mode]);
  const view = useMemo(() => chosen ?? (half && wholeIn(half, canvas)), [half, chosen, canvas]);
  // What was asked for last: several turns of a wheel may come before one of them is drawn.
  const latest = useRef(view);
  latest.current = view;
  const change = useCallback((next: View) => {
    latest.current = next;
    setChosen(next);
  }, []);
  return {
    look,
    setLook,
    stance,
    setStance,
    depthZoom,
    mode,
    setMode,
    /** Null before the size of the screen is known. */
    view: screen && view,
    change,
    /** All of the picture, as large as there is room, whatever room there is. */
    showWhole: () => {
      setChosen(null);
      setDepthZoom(1);
    },
    showTrue: () => half && change(centred(half, canvas, 1)),
    /** Zoom about a place on the screen, or its middle; the panes that are apart only grow. */
    zoom: (spot: Spot | null, factor: number) => {
      if (!half || !latest.current) return;
      if (look === 'apart')
        setDepthZoom((before) => Math.min(Math.max(before * factor, LEAST_DEPTH_ZOOM), MOST_DEPTH_ZOOM));
      else change(zoomedAt(latest.current, spot ?? { x: half.width / 2, y: half.height / 2 }, factor));
    },
  };
}

export type PileView = ReturnType<typeof usePileView>;

/** Two pictures that are compared, and where the divider between them is. */
export function useComparison(
  illustration: number,
  comparables: readonly Comparable[],
  compareWith: string | null,
  { look, mode, setLook }: PileView,
) {
  const [chosen, setChosen] = useState({ left: 'parts', right: '', share: 0.5 });
  useEffect(() => {
    if (compareWith === null) return;
    setChosen((before) => ({ ...before, left: 'parts', right: compareWith }));
    setLook('compare');
    return () => setLook((now) => (now === 'compare' ? 'flat' : now));
  }, [compareWith, setLook]);
  const right = comparables.some((one) => one.key === chosen.right) ? chosen.right : (comparables[1]?.key ?? '');
  const compared = [chosen.left, right].map((key) => comparables.find((one) => one.key === key) ?? comparables[0]);
  const wholes = useWholePictures(illustration, look === 'compare' ? compared.map((one) => one?.digest ?? null) : []);
  const sides = compared.map((one, index) => ({
    label: one?.label ?? '',
    picture: one?.digest === null ? ('parts' as const) : (wholes[index] ?? null),
  }));
  const arrived = sides.map(({ label, picture }) => `${label} ${picture === null ? 'awaited' : 'there'}`);
  return {
    sides: useStable(sides, [right, chosen.left, ...arrived].join()),
    share: chosen.share,
    setShare: (share: number) => setChosen((before) => ({ ...before, share })),
    /** As the bar over the pile shows it. */
    shown: (onMode: (mode: CompareMode) => void): Comparison => ({
      ...chosen,
      right,
      mode,
      pictures: comparables,
      onChange: ({ mode: other, ...changed }) => {
        if (other) onMode(other);
        setChosen((before) => ({ ...before, ...changed }));
      },
    }),
  };
}
