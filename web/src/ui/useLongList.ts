/** Long lists draw only those of their rows that are in sight, and a few more; short ones draw all. */

import { useVirtualizer } from '@tanstack/react-virtual';
import { type RefObject, useLayoutEffect, useState } from 'react';

const SHORT = 80;
const BEYOND = 15;

/** What scrolls a list: itself, or what it lies in. */
function scrollerOf(list: HTMLElement | null): HTMLElement | null {
  let at = list;
  while (at && !['auto', 'scroll'].includes(getComputedStyle(at).overflowY)) at = at.parentElement;
  return at;
}

/** Which rows of a list are drawn: from `first` on those of `shown`, with as much room `before` and `after` them as the others take. */
export function useLongList(list: RefObject<HTMLElement | null>, count: number, rowHeight: number) {
  const [margin, setMargin] = useState(0);
  const isLong = count > SHORT;
  const virtual = useVirtualizer({
    count: isLong ? count : 0,
    getScrollElement: () => scrollerOf(list.current),
    estimateSize: () => rowHeight,
    overscan: BEYOND,
    scrollMargin: margin,
  });
  // What lies above the list in the page that scrolls may have changed its height.
  useLayoutEffect(() => {
    const scroller = scrollerOf(list.current);
    if (!isLong || !list.current || !scroller || scroller === list.current) return;
    const above = list.current.getBoundingClientRect().top - scroller.getBoundingClientRect().top + scroller.scrollTop;
    if (Math.abs(above - margin) > 1) setMargin(above);
  });
  const items = virtual.getVirtualItems();
  const [first, last] = [items[0], items.at(-1)];
  if (!isLong) return { first: 0, end: count, before: 0, after: 0, reveal: () => {} };
  return {
    first: first?.index ?? 0,
    end: last ? last.index + 1 : 0,
    before: first ? first.start - margin : 0,
    after: last ? (count - last.index - 1) * rowHeight : count * rowHeight,
    /** Scroll so that a row is in sight. */
    reveal: (index: number) => virtual.scrollToIndex(index),
  };
}
