/** What others do with an illustration, told by the server as it happens. */
import { useEffect, useState } from 'react';

/** How an illustration stands: marks change with what they stand for. */
export interface Told {
  arrangement: number;
  motion: string;
  revisions: string;
  /** The names of the accounts that have it open. */
  here: readonly string[];
}

const LATER = 30_000;

/** A page that is not looked at listens to nothing: a browser opens only a few connections to one server. */
export function useEvents(illustration: number): Told | null {
  const [told, setTold] = useState<Told | null>(null);
  useEffect(() => {
    let source: EventSource | null = null;
    let again: number | undefined;
    const close = () => {
      window.clearTimeout(again);
      source?.close();
    };
    const open = () => {
      close();
      if (document.visibilityState === 'hidden') return;
      const mine = new EventSource(`/api/illustrations/${illustration}/events`);
      source = mine;
      mine.onmessage = ({ data }) => setTold(JSON.parse(data) as Told);
      mine.onerror = () => {
        // After a lost connection the browser comes back by itself, after any other answer it does not.
        if (mine === source && mine.readyState === EventSource.CLOSED) again = window.setTimeout(open, LATER);
      };
    };
    document.addEventListener('visibilitychange', open);
    open();
    return () => {
      document.removeEventListener('visibilitychange', open);
      close();
      setTold(null);
    };
  }, [illustration]);
  return told;
}
