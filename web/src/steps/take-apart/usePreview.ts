/** What a click would take where the pointer is. One question is out at a time, and the next is about the latest place. */
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { askSelection } from '../../api/questions';
import { bitmapOf } from '../../pile/bitmaps';
import type { Mask } from '../../pile/marks';
import type { Spot } from '../../rules/places';

const POINTED = '#d5562a';
const AS_IT_IS = { grow: 0, smooth: 0, soft: 0 };
/** Pixels of the canvas that the pointer moves at least until it is asked again. */
const STILL = 2;

export function usePreview(
  illustration: number,
  row: string | undefined,
  art: string | undefined,
  frame: number,
  isWanted: boolean,
) {
  const [mask, setMask] = useState<Mask | null>(null);
  const wanted = useRef<Spot | null>(null);
  const asked = useRef<Spot | null>(null);
  const isOut = useRef(false);
  const now = useMemo(() => (isWanted && row && art ? { row, art, frame } : null), [isWanted, row, art, frame]);
  const about = useRef(now);
  const leaving = useRef(new AbortController());
  useEffect(() => {
    about.current = now;
    wanted.current = asked.current = null;
    setMask(null);
    const controller = new AbortController();
    leaving.current = controller;
    return () => controller.abort();
  }, [now]);

  const ask = useCallback(async () => {
    if (isOut.current) return;
    isOut.current = true;
    try {
      while (wanted.current && wanted.current !== asked.current) {
        const [spot, of] = [wanted.current, about.current];
        if (!of) break;
        asked.current = spot;
        const click = { x: spot.x, y: spot.y, add: true };
        const gestures = [{ tool: 'clicked' as const, how: 'instead' as const, clicks: [click], steps: 0 }];
        const found = await askSelection(
          illustration,
          { row: of.row, gestures, edge: AS_IT_IS, frame: of.frame },
          leaving.current.signal,
        )
          .then(
            async ({ mask: drawn, box }): Promise<Mask> => ({ picture: await bitmapOf(drawn), box, colour: POINTED }),
          )
          .catch(() => null);
        if (wanted.current && of === about.current) setMask(found);
      }
    } finally {
      isOut.current = false;
    }
  }, [illustration]);

  const onHover = useCallback(
    (spot: Spot | null) => {
      if (!spot) {
        wanted.current = asked.current = null;
        setMask(null);
        return;
      }
      const last = wanted.current;
      if (last && Math.hypot(last.x - spot.x, last.y - spot.y) < STILL) return;
      wanted.current = spot;
      void ask();
    },
    [ask],
  );
  return { pointed: isWanted ? mask : null, onHover };
}
