/** The canvas element that the pile is drawn on: how large it is in pixels of the screen, and when it is drawn again. */

import { type RefObject, useEffect, useLayoutEffect, useState } from 'react';
import type { Extent, Spot } from '../rules/places';
import type { PileDrawing, PileState } from './drawing';
import type { View } from './view';

const STILL = 150;

/** Where an event is, in pixels of the screen from the corner of an element. */
export function spotIn(element: Element | null, event: { clientX: number; clientY: number }): Spot {
  const frame = element?.getBoundingClientRect();
  const ratio = window.devicePixelRatio;
  return { x: (event.clientX - (frame?.left ?? 0)) * ratio, y: (event.clientY - (frame?.top ?? 0)) * ratio };
}

/** How large an element is in pixels of the screen; null before it is known. */
export function useScreen(surface: RefObject<HTMLCanvasElement | null>): Extent | null {
  const [screen, setScreen] = useState<Extent | null>(null);
  useLayoutEffect(() => {
    const element = surface.current;
    if (!element) return;
    const observer = new ResizeObserver(() => {
      const ratio = window.devicePixelRatio;
      setScreen({ width: Math.round(element.clientWidth * ratio), height: Math.round(element.clientHeight * ratio) });
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [surface]);
  return screen;
}

/** Zoom with the wheel. */
export function useWheel(surface: RefObject<HTMLCanvasElement | null>, onZoom: (spot: Spot, factor: number) => void) {
  useEffect(() => {
    const element = surface.current;
    if (!element) return;
    // React listens to wheels passively, so the page would scroll as well.
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      onZoom(spotIn(element, event), 2 ** (-event.deltaY / 240));
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  });
}

/** Draw one frame after anything has changed of what is drawn; what waits for a view that stands still, when it does. */
export function useDrawing(
  surface: RefObject<HTMLCanvasElement | null>,
  drawing: PileDrawing,
  state: Omit<PileState, 'screen' | 'view'> & { screen: Extent | null; view: View | null },
): void {
  const { marks, ...rest } = state;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn depends on these values, not on the objects around them
  useEffect(() => {
    const element = surface.current;
    const { screen, view } = state;
    if (!element || !screen || !view) return;
    let late = 0;
    const draw = (isStill: boolean) => {
      if (drawing.draw(element, { ...state, screen, view }, isStill)) {
        late = window.setTimeout(() => draw(true), STILL);
      }
    };
    const frame = requestAnimationFrame(() => draw(false));
    return () => {
      cancelAnimationFrame(frame);
      window.clearTimeout(late);
    };
  }, [drawing, ...Object.values(rest), ...MARKS.map((one) => marks?.[one])]);
}

const MARKS = [
  'masks',
  'overlay',
  'strokes',
  'brush',
  'circle',
  'links',
  'handles',
  'guides',
  'guided',
  'poses',
  'ghosts',
] as const;
