import { useEffect, useRef } from 'react';

/** Takes the focus when something appears, where it would else have fallen to the page: what had it is gone. */
export function useFocusHere<Here extends HTMLElement>(isHere: boolean) {
  const here = useRef<Here>(null);
  useEffect(() => {
    if (isHere && document.activeElement === document.body) here.current?.focus({ preventScroll: true });
  }, [isHere]);
  return here;
}
