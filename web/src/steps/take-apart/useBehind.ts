import { useState } from 'react';
import { channels } from './change';

export type Behind = 'empty' | 'flat' | 'painted' | 'colour';

/** What comes where something is taken out; `onEmpty` when that is nothing. */
export function useBehind(onEmpty: () => void) {
  const [behind, setBehind] = useState<Behind>('flat');
  const [colour, setColour] = useState('#ffffff');
  return {
    behind,
    setBehind: (wanted: Behind) => {
      setBehind(wanted);
      if (wanted === 'empty') onEmpty();
    },
    colour,
    setColour,
    /** As a command says it. */
    filling: behind === 'colour' ? channels(colour) : behind === 'empty' ? null : behind,
  };
}
