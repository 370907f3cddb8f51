/** What a press of the pointer on the pile comes to: a plain table of states and events, which knows no element and no React. */

import type { Extent, Spot } from '../rules/places';
import { type CompareMode, dividerAt } from './compare';
import type { MarkKind } from './marks';
import { panned, type View } from './view';

export type Look = 'flat' | 'apart' | 'compare';

export type Press =
  | { kind: 'none' }
  /** A handle or a guide is held. */
  | { kind: 'grip' }
  /** A line, a stroke or a shape is drawn. */
  | { kind: 'mark' }
  | { kind: 'drag'; from: Spot; view: View; turn: number; moved: boolean; onDivider: boolean };

export interface PointerEventOnPile {
  type: 'down' | 'move' | 'up' | 'cancel';
  /** In pixels of the screen, from the corner of the pile. */
  spot: Spot;
  /** The first button, or a touch. */
  isFirst: boolean;
}

/** The pile as it is when the event comes. */
export interface PointerSituation {
  look: Look;
  view: View;
  screen: Extent;
  canvas: Extent;
  turn: number;
  mode: CompareMode;
  share: number;
  /** How the pointer marks; null: it picks. */
  marks: MarkKind | null;
  /** Whether a handle or a guide lies under the pointer. */
  grips: boolean;
}

export type Act =
  | { do: 'grip'; done: boolean }
  | { do: 'mark'; at: 'begin' | 'move' }
  | { do: 'mark'; at: 'end'; moved: boolean }
  | { do: 'hover' }
  | { do: 'divide'; share: number }
  | { do: 'turn'; turn: number }
  | { do: 'pan'; view: View }
  | { do: 'pick' };

export const NO_PRESS: Press = { kind: 'none' };

/** Pixels of the screen within which a press is a click. */
const CLICK = 4;
/** Pixels of the screen from the divider of a comparison within which a drag moves it. */
const GRIP = 14;
const MOST_TURN = 70;
/** Degrees for a drag across the whole screen. */
const TURN = 90;

const between = (value: number, least: number, most: number) => Math.min(Math.max(value, least), most);
const isDrawn = (marks: MarkKind | null) => marks !== null && marks !== 'pixel' && marks !== 'corners';

/** What the press is after an event, and what is to be done. */
export function afterEvent(press: Press, event: PointerEventOnPile, now: PointerSituation): [Press, Act | null] {
  switch (event.type) {
    case 'down':
      return begun(event, now);
    case 'move':
      return moved(press, event, now);
    case 'up':
      return ended(press, now);
    case 'cancel':
      return [NO_PRESS, null];
  }
}

function begun({ spot, isFirst }: PointerEventOnPile, now: PointerSituation): [Press, Act | null] {
  if (isFirst && now.grips && now.look === 'flat') return [{ kind: 'grip' }, null];
  if (isFirst && isDrawn(now.marks) && now.look === 'flat') return [{ kind: 'mark' }, { do: 'mark', at: 'begin' }];
  const divider = dividerAt(now.screen, now.canvas, now.view, now.mode, now.share);
  const onDivider = now.look === 'compare' && now.mode === 'slider' && Math.abs(spot.x - divider) < GRIP;
  return [{ kind: 'drag', from: spot, view: now.view, turn: now.turn, moved: false, onDivider }, null];
}

function moved(press: Press, { spot }: PointerEventOnPile, now: PointerSituation): [Press, Act | null] {
  if (press.kind === 'grip') return [press, { do: 'grip', done: false }];
  if (press.kind === 'mark') return [press, { do: 'mark', at: 'move' }];
  if (press.kind === 'none') return [press, now.look === 'flat' ? { do: 'hover' } : null];
  const [dx, dy] = [spot.x - press.from.x, spot.y - press.from.y];
  if (!press.moved && Math.hypot(dx, dy) <= CLICK) return [press, null];
  const next = { ...press, moved: true };
  if (press.onDivider) {
    const share = (spot.x - now.view.x) / (now.canvas.width * now.view.zoom);
    return [next, { do: 'divide', share: between(share, 0, 1) }];
  }
  if (now.look === 'apart') {
    const turn = between(press.turn + (dx / now.screen.width) * TURN, 0, MOST_TURN);
    return [next, { do: 'turn', turn: Math.round(turn) }];
  }
  return [next, { do: 'pan', view: panned(press.view, dx, dy) }];
}

function ended(press: Press, now: PointerSituation): [Press, Act | null] {
  if (press.kind === 'grip') return [NO_PRESS, { do: 'grip', done: true }];
  const hasMoved = press.kind === 'drag' && press.moved;
  if (press.kind !== 'none' && now.marks && now.look === 'flat')
    return [NO_PRESS, { do: 'mark', at: 'end', moved: hasMoved }];
  if (press.kind === 'drag' && !hasMoved && now.look !== 'compare') return [NO_PRESS, { do: 'pick' }];
  return [NO_PRESS, null];
}
