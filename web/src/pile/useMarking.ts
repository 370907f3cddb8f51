/** The pointer as it marks on the pile: collects places until they say something whole. */
import { useEffect, useRef, useState } from 'react';
import type { Spot } from '../rules/places';
import type { Marking, MarkKeys, MarkKind } from './marks';
import { canvasSpot, type View } from './view';

/** Pixels of the screen from the first corner within which a click closes the outline. */
const CLOSE = 9;
/** A line gets a place for every so many pixels of the screen. */
const STEP = 2;

interface Pressed {
  shiftKey: boolean;
  altKey: boolean;
}

/** Sides of the polygon that an ellipse is. */
const SIDES = 128;

/** The outline of a shape between two opposite corners. */
function shapeOf(kind: MarkKind, one: Spot, other: Spot): Spot[] {
  if (kind === 'rectangle') return [one, { x: other.x, y: one.y }, other, { x: one.x, y: other.y }];
  const middle = { x: (one.x + other.x) / 2, y: (one.y + other.y) / 2 };
  return Array.from({ length: SIDES }, (_, side) => {
    const angle = (side / SIDES) * 2 * Math.PI;
    return {
      x: middle.x + ((other.x - one.x) / 2) * Math.cos(angle),
      y: middle.y + ((other.y - one.y) / 2) * Math.sin(angle),
    };
  });
}

const keysOf = ({ shiftKey, altKey }: Pressed): MarkKeys => ({ add: shiftKey && !altKey, subtract: altKey });

export function useMarking(marking: Marking | undefined) {
  const [path, setPath] = useState<readonly Spot[]>([]);
  const kind = marking?.kind ?? null;
  const corner = useRef<Spot | null>(null);
  const isShape = kind === 'rectangle' || kind === 'ellipse';
  // biome-ignore lint/correctness/useExhaustiveDependencies: another way of marking begins anew
  useEffect(() => setPath([]), [kind]);
  useEffect(() => {
    if (kind !== 'corners' || path.length === 0) return;
    const onKeyDown = (event: KeyboardEvent) => {
      if (event.key === 'Escape') setPath([]);
      else if (event.key === 'Enter' && path.length > 2) {
        setPath([]);
        marking?.onMark(path, keysOf(event));
      } else if (event.key === 'Backspace') setPath(path.slice(0, -1));
      else return;
      event.preventDefault();
      event.stopPropagation();
    };
    window.addEventListener('keydown', onKeyDown, true);
    return () => window.removeEventListener('keydown', onKeyDown, true);
  }, [kind, path, marking]);

  return {
    path,
    /** Answers whether the press belongs to the marking and must not move the view. */
    begin(spot: Spot, view: View): boolean {
      if (kind !== 'line' && kind !== 'stroke' && !isShape) return false;
      corner.current = canvasSpot(view, spot);
      setPath([corner.current]);
      return true;
    },
    move(spot: Spot, view: View): void {
      const last = path[path.length - 1];
      if (!kind || kind === 'corners' || !last) return;
      const next = canvasSpot(view, spot);
      if (isShape) {
        if (corner.current) setPath(shapeOf(kind, corner.current, next));
        return;
      }
      if (Math.hypot(next.x - last.x, next.y - last.y) * view.zoom >= STEP) setPath([...path, next]);
    },
    /** What was drawn was not meant: a second finger has come. */
    cancel(): void {
      if (kind !== 'corners') setPath([]);
    },
    /** A press has ended; `moved` is whether it moved the view. */
    end(spot: Spot, view: View, moved: boolean, pressed: Pressed): void {
      if (!marking || !kind) return;
      if (kind === 'stroke') {
        setPath([]);
        if (path.length > 0) marking.onMark(path, keysOf(pressed));
      } else if (kind === 'line' || isShape) {
        setPath([]);
        if (path.length > 2) marking.onMark(path, keysOf(pressed));
      } else if (!moved && kind === 'pixel') {
        const { x, y } = canvasSpot(view, spot);
        marking.onMark([{ x: Math.floor(x), y: Math.floor(y) }], keysOf(pressed));
      } else if (!moved) {
        const next = canvasSpot(view, spot);
        const [first] = path;
        const isClosed = first && Math.hypot(next.x - first.x, next.y - first.y) * view.zoom < CLOSE;
        if (isClosed && path.length > 2) {
          setPath([]);
          marking.onMark(path, keysOf(pressed));
        } else setPath([...path, next]);
      }
    },
  };
}
