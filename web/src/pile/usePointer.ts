/** The pointer on the pile: what `pointer.ts` says is to be done is done here. */

import { type RefObject, useRef } from 'react';
import type { Row } from '../api/calls';
import type { Extent, Spot } from '../rules/places';
import { gripAt, type Marking } from './marks';
import { type Act, afterEvent, NO_PRESS, type PointerEventOnPile, type Press } from './pointer';
import type { useMarking } from './useMarking';
import type { PileView } from './usePileView';
import { usePinch } from './usePinch';
import { spotIn } from './useSurface';
import { canvasPixel, canvasSpot } from './view';

interface Props {
  surface: RefObject<HTMLCanvasElement | null>;
  screen: Extent | null;
  canvas: Extent;
  looking: PileView;
  share: number;
  marking: Marking | undefined;
  marks: ReturnType<typeof useMarking>;
  onShare: (share: number) => void;
  onPick: (event: React.PointerEvent) => void;
  frontAt: (spot: Spot) => Row | undefined;
}

export function usePointer({
  surface,
  screen,
  canvas,
  looking,
  share,
  marking,
  marks,
  onShare,
  onPick,
  frontAt,
}: Props) {
  const press = useRef<Press>(NO_PRESS);
  const grip = useRef<ReturnType<typeof gripAt>>(null);
  const { view, look, stance, mode } = looking;

  const carryOut = (act: Act, event: React.PointerEvent) => {
    if (!view) return;
    const spot = spotIn(surface.current, event);
    switch (act.do) {
      case 'grip':
        grip.current?.(canvasSpot(view, spot), act.done);
        break;
      case 'mark':
        if (act.at === 'begin') marks.begin(spot, view);
        else if (act.at === 'end') marks.end(spot, view, act.moved, event);
        else marks.move(spot, view);
        break;
      case 'hover':
        if (marking?.onHover) marking.onHover(canvasPixel(view, spot), frontAt(canvasPixel(view, spot)));
        break;
      case 'divide':
        onShare(act.share);
        break;
      case 'turn':
        looking.setStance({ ...stance, turn: act.turn });
        break;
      case 'pan':
        looking.change(act.view);
        break;
      case 'pick':
        onPick(event);
    }
  };

  const isPinched = usePinch({
    view: look === 'apart' ? null : view,
    onView: looking.change,
    onBegin: () => {
      press.current = NO_PRESS;
      marks.cancel();
    },
  });

  const on = (type: PointerEventOnPile['type']) => (event: React.PointerEvent) => {
    if (!view || !screen || isPinched(type, event)) return;
    const spot = spotIn(surface.current, event);
    if (type === 'down') {
      event.currentTarget.setPointerCapture(event.pointerId);
      grip.current = marking ? gripAt(marking, view, spot) : null;
    }
    const [next, act] = afterEvent(
      press.current,
      { type, spot, isFirst: event.button === 0 },
      {
        look,
        view,
        screen,
        canvas,
        turn: stance.turn,
        mode,
        share,
        marks: marking?.kind ?? null,
        grips: grip.current !== null,
      },
    );
    press.current = next;
    if (act) carryOut(act, event);
  };
  return {
    onPointerDown: on('down'),
    onPointerMove: on('move'),
    onPointerUp: on('up'),
    onPointerCancel: on('cancel'),
    onPointerLeave: () => marking?.onHover?.(null),
  };
}
