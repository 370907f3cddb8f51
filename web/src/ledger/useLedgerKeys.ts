/** Choosing and renaming in the ledger, with the pointer and by keyboard. */

import { type RefObject, useState } from 'react';
import type { Row } from '../api/calls';
import type { Act } from './useArrangement';
import type { Listing } from './useListing';

interface Props {
  scroller: RefObject<HTMLDivElement | null>;
  listing: Listing;
  chosen: ReadonlySet<string>;
  current: string | null;
  canEdit: boolean;
  onChoose: (ids: readonly string[], current: string | null) => void;
  act: Act;
}

export function useLedgerKeys({ scroller, listing, chosen, current, canEdit, onChoose, act }: Props) {
  const [editing, setEditing] = useState<string | null>(null);
  const { list, fold } = listing;
  const index = list.findIndex((item) => item.row.id === current);

  const stepTo = (to: number, range: boolean) => {
    const item = list[Math.min(Math.max(to, 0), list.length - 1)];
    if (item) onChoose(range ? [...chosen, item.row.id] : [item.row.id], item.row.id);
  };
  const leave = () => {
    setEditing(null);
    scroller.current?.focus();
  };
  return {
    index,
    editing,
    setEditing,
    leave,
    stepTo,
    choose: (id: string, how: { range?: boolean; toggle?: boolean }) => {
      const to = list.findIndex((item) => item.row.id === id);
      if (how.range && index >= 0) {
        const between = list.slice(Math.min(index, to), Math.max(index, to) + 1).map((item) => item.row.id);
        onChoose([...chosen, ...between], id);
      } else if (how.toggle) onChoose(chosen.has(id) ? [...chosen].filter((one) => one !== id) : [...chosen, id], id);
      else onChoose([id], id);
    },
    rename: (row: Row, name: string, then: 'next' | 'previous' | 'stop') => {
      if (name !== row.name) act({ do: 'rename-rows', names: { [row.id]: name } });
      const at = list.findIndex((item) => item.row.id === row.id);
      const next = then === 'stop' ? undefined : list[then === 'next' ? at + 1 : at - 1];
      if (!next) return leave();
      onChoose([next.row.id], next.row.id);
      setEditing(next.row.id);
    },
    onKeyDown: (event: React.KeyboardEvent) => {
      if (event.target !== scroller.current) return;
      const item = list[index];
      const keys = new Map<string, () => unknown>([
        ['ArrowDown', () => stepTo(index + 1, event.shiftKey)],
        ['ArrowUp', () => stepTo(index < 0 ? 0 : index - 1, event.shiftKey)],
        ['Home', () => stepTo(0, false)],
        ['End', () => stepTo(list.length - 1, false)],
        ['ArrowLeft', () => item?.hasMembers && fold(item.row.id, true)],
        ['ArrowRight', () => item?.hasMembers && fold(item.row.id, false)],
        ['Enter', () => item && canEdit && setEditing(item.row.id)],
        ['F2', () => item && canEdit && setEditing(item.row.id)],
        ['Delete', () => canEdit && chosen.size > 0 && act({ do: 'remove-rows', rows: [...chosen] })],
        ['Escape', () => current && onChoose([], current)],
      ]);
      const isWithControl = event.ctrlKey || event.metaKey;
      const all = () =>
        onChoose(
          list.map(({ row }) => row.id),
          current ?? list[0]?.row.id ?? null,
        );
      const action = isWithControl ? event.key.toLowerCase() === 'a' && all : keys.get(event.key);
      if (!action || event.altKey) return;
      event.preventDefault();
      action();
    },
  };
}
