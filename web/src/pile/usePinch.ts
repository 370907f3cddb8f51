/** Two fingers on a picture: they zoom it and move it, whatever one finger, a pen or a mouse would do there. */
import { useRef } from 'react';
import type { Spot } from '../rules/places';
import { spotIn } from './useSurface';
import { panned, type View, zoomedAt } from './view';

type Two = readonly [Spot, Spot];

const middleOf = ([one, other]: Two): Spot => ({ x: (one.x + other.x) / 2, y: (one.y + other.y) / 2 });
const spanOf = ([one, other]: Two): number => Math.max(1, Math.hypot(one.x - other.x, one.y - other.y));

/** The view when two fingers have gone from some places to others: what was under each stays there. */
export function pinched(view: View, from: Two, to: Two): View {
  const [before, after] = [middleOf(from), middleOf(to)];
  return zoomedAt(panned(view, after.x - before.x, after.y - before.y), after, spanOf(to) / spanOf(from));
}

interface Props {
  view: View | null;
  onView: (view: View) => void;
  /** What one finger had begun is no more. */
  onBegin: () => void;
}

/** Answers, for each event of the pointer, whether it is part of a pinch and so of nothing else. */
export function usePinch({ view, onView, onBegin }: Props) {
  const touches = useRef(new Map<number, Spot>());
  const pinch = useRef<{ from: Two; view: View } | null>(null);
  return (type: 'down' | 'move' | 'up' | 'cancel', event: React.PointerEvent): boolean => {
    if (event.pointerType !== 'touch') return false;
    const all = touches.current;
    if (type === 'down' || (type === 'move' && all.has(event.pointerId)))
      all.set(event.pointerId, spotIn(event.currentTarget, event));
    else all.delete(event.pointerId);
    const [one, other] = [...all.values()];
    if (type === 'down' && all.size === 2 && view && one && other) {
      pinch.current = { from: [one, other], view };
      onBegin();
      return true;
    }
    const { current } = pinch;
    if (!current) return false;
    if (type === 'move' && one && other) onView(pinched(current.view, current.from, [one, other]));
    // The finger that is lifted last picks nothing.
    if (all.size === 0) pinch.current = null;
    return true;
  };
}
