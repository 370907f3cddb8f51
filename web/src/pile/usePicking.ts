/** Which part a click on the pile picks: the front-most that is there, and with each further click the next deeper one. */

import { type RefObject, useRef, useState } from 'react';
import type { Row } from '../api/calls';
import type { Extent, Spot } from '../rules/places';
import { panesAt } from './apart';
import type { Scene } from './composite';
import type { PileDrawing } from './drawing';
import { frontMost, lockedAt, nextDeeper, partsAt } from './picking';
import type { Detail } from './useDetail';
import type { PileView } from './usePileView';
import { spotIn } from './useSurface';
import { canvasPixel } from './view';
import { usePicking as words } from './words';

interface Props {
  surface: RefObject<HTMLCanvasElement | null>;
  screen: Extent | null;
  looking: PileView;
  drawing: PileDrawing;
  /** As it is drawn, and as the rows are: what is only named otherwise is the same drawing. */
  drawn: Scene;
  scene: Scene;
  detail: Detail | null;
  onPick: (row: Row | null, extend: boolean) => void;
}

export function usePicking({ surface, screen, looking, drawing, drawn, scene, detail, onPick }: Props) {
  const last = useRef<{ spot: Spot; row: string } | null>(null);
  const [hint, setHint] = useState('');
  const { look, view, stance, depthZoom } = looking;

  /** The parts at a spot of the screen, front-most first, and a locked one that lies over them. */
  const under = (spot: Spot): { found: readonly Row[]; locked: Row | undefined } => {
    if (look === 'apart' && screen) {
      const { panes, places, scale } = drawing.depth(drawn, screen, stance, depthZoom);
      return { found: panesAt(panes, places, scale, spot), locked: undefined };
    }
    const { rows, seen, moment } = scene;
    return {
      found: partsAt(rows, seen, drawing.sources(detail), moment, spot),
      locked: lockedAt(rows, seen, drawing.sources(detail), moment, spot),
    };
  };

  const pick = (event: React.PointerEvent) => {
    if (!view) return;
    const at = spotIn(surface.current, event);
    const spot = look === 'apart' ? at : canvasPixel(view, at);
    const { found, locked } = under(spot);
    const again = last.current?.spot.x === spot.x && last.current.spot.y === spot.y;
    setHint(locked && found[0] !== locked ? words.isLockedUnlockItK(locked.name) : '');
    const row = nextDeeper(found, again ? (last.current?.row ?? null) : null);
    last.current = row && { spot, row: row.id };
    onPick(row, event.shiftKey || event.ctrlKey || event.metaKey);
  };
  /** The front-most part at a pixel of the canvas, locked or not. */
  const frontAt = (spot: Spot): Row | undefined => {
    const { rows, seen, moment } = scene;
    return frontMost(rows, seen, drawing.sources(detail), moment, spot);
  };
  return { hint, pick, frontAt };
}
