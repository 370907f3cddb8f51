/** Parts that come into being fly from the picture to their row, so that one sees where they went. */

import { useReducedMotion } from '@mantine/hooks';
import { type RefObject, useEffect, useRef } from 'react';
import type { Row } from '../api/calls';
import { thumbnailOf } from '../api/thumbnails';
import { onScreen, type View } from './view';

/** More at once would be a swarm that nobody can follow. */
const MOST = 12;
const FLIGHT: KeyframeAnimationOptions = { duration: 450, easing: 'cubic-bezier(.3, 0, .2, 1)', fill: 'forwards' };

interface Frame {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Where the row of a part is seen; in a step without rows, where its parts are counted. */
function landing(row: string): Frame | null {
  const seen = document.getElementById(`row-${row}`) ?? document.querySelector('[data-arrivals]');
  return (seen?.querySelector('img') ?? seen)?.getBoundingClientRect() ?? null;
}

function fly(address: string, from: Frame, to: Frame): void {
  const ghost = document.createElement('img');
  ghost.src = address;
  ghost.alt = '';
  ghost.dataset.flying = '';
  Object.assign(ghost.style, {
    position: 'fixed',
    zIndex: '20',
    left: `${from.left}px`,
    top: `${from.top}px`,
    width: `${from.width}px`,
    height: `${from.height}px`,
    objectFit: 'contain',
    pointerEvents: 'none',
  });
  document.body.append(ghost);
  const middle = (frame: Frame) => [frame.left + frame.width / 2, frame.top + frame.height / 2] as const;
  const [[x, y], [toX, toY]] = [middle(from), middle(to)];
  const scale = Math.min(to.width / from.width, to.height / from.height, 1);
  const flight = ghost.animate(
    [
      { transform: 'none', opacity: 1 },
      { transform: `translate(${toX - x}px, ${toY - y}px) scale(${scale})`, opacity: 0.6 },
    ],
    FLIGHT,
  );
  const end = () => ghost.remove();
  flight.finished.then(end, end);
}

/** Let parts that were not there before fly from where they lie in the picture; nothing moves for those who asked for that. */
export function useArrivals(
  illustration: number,
  rows: readonly Row[],
  surface: RefObject<HTMLCanvasElement | null>,
  view: View | null,
): void {
  const isStill = useReducedMotion();
  const known = useRef<ReadonlySet<string> | null>(null);
  const latest = useRef(view);
  latest.current = view;
  useEffect(() => {
    const before = known.current;
    known.current = rows.length > 0 ? new Set(rows.map((row) => row.id)) : before;
    if (!before || isStill) return;
    const arrived = rows.filter((row) => row.kind === 'part' && row.box && row.thumbnail && !before.has(row.id));
    if (arrived.length > MOST) return;
    for (const row of arrived) {
      void thumbnailOf(illustration, row.thumbnail ?? '').then((address) => {
        const [frame, seen, to] = [surface.current?.getBoundingClientRect(), latest.current, landing(row.id)];
        if (!frame || !seen || !to || to.width === 0) return;
        const { left, top, right, bottom } = onScreen(seen)(row.box ?? []);
        const ratio = window.devicePixelRatio;
        const [width, height] = [(right - left) / ratio, (bottom - top) / ratio];
        // Looked at from so near, it would cover everything on its way.
        if (width > frame.width || height > frame.height) return;
        fly(address, { left: frame.left + left / ratio, top: frame.top + top / ratio, width, height }, to);
      });
    }
  }, [rows, illustration, isStill, surface]);
}
