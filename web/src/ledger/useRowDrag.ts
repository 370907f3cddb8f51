/** Dragging rows to another place in the draw order. */
import { type RefObject, useRef, useState } from 'react';
import type { Row } from '../api/calls';
import { type Drop, dropOn } from '../rules/commands';
import type { Listed } from '../rules/tree';
import { ROW_HEIGHT } from './measures';

const START = 5;
const EDGE = 36;

interface Mark {
  top: number;
  level: number;
  inside: boolean;
}

export function useRowDrag(
  scroller: RefObject<HTMLDivElement | null>,
  list: readonly Listed[],
  chosen: ReadonlySet<string>,
  isAllowed: boolean,
  onDrop: (dragged: ReadonlySet<string>, drop: Drop) => void,
) {
  const [mark, setMark] = useState<Mark | null>(null);
  const drop = useRef<Drop | null>(null);

  const follow = (pointerY: number, dragged: ReadonlySet<string>) => {
    const element = scroller.current;
    if (!element) return;
    const frame = element.getBoundingClientRect();
    if (pointerY < frame.top + EDGE) element.scrollTop -= EDGE / 3;
    if (pointerY > frame.bottom - EDGE) element.scrollTop += EDGE / 3;
    const y = pointerY - frame.top + element.scrollTop;
    const index = Math.min(Math.max(Math.floor(y / ROW_HEIGHT), 0), list.length - 1);
    const entry = list[index];
    if (!entry || dragged.has(entry.row.id)) {
      drop.current = null;
      setMark(null);
      return;
    }
    const top = index * ROW_HEIGHT;
    drop.current = dropOn({ id: entry.row.id, isGroup: entry.row.kind === 'group', top, height: ROW_HEIGHT }, y);
    const { kind } = drop.current;
    setMark({ top: kind === 'behind' ? top + ROW_HEIGHT : top, level: entry.level, inside: kind === 'inside' });
  };

  const grab = (event: React.PointerEvent, row: Row) => {
    if (!isAllowed || event.button !== 0) return;
    event.preventDefault();
    const dragged = chosen.has(row.id) ? chosen : new Set([row.id]);
    const startY = event.clientY;
    let hasStarted = false;
    const stop = new AbortController();
    const end = (isDrop: boolean) => {
      stop.abort();
      if (isDrop && hasStarted && drop.current) onDrop(dragged, drop.current);
      drop.current = null;
      setMark(null);
    };
    const { signal } = stop;
    window.addEventListener(
      'pointermove',
      (move) => {
        hasStarted ||= Math.abs(move.clientY - startY) > START;
        if (hasStarted) follow(move.clientY, dragged);
      },
      { signal },
    );
    window.addEventListener('pointerup', () => end(true), { signal });
    window.addEventListener('pointercancel', () => end(false), { signal });
    window.addEventListener('keydown', (key) => key.key === 'Escape' && end(false), { signal });
  };

  return { mark, grab };
}
