import { useState } from 'react';
import { Refusal } from '../../api/client';
import { askJoints } from '../../api/questions';
import { placeOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import { useJointProposals as words } from './words';

/** Parents and pivots that are proposed, or taken over from the other side, become one step. */
export function useJointProposals(illustration: number, act: Act) {
  const [said, setSaid] = useState('');
  const propose = async (of: readonly string[], mirrored = false) => {
    setSaid('');
    try {
      const { parents, pivots } = await askJoints(illustration, of, mirrored);
      const touched = new Set([...Object.keys(parents), ...Object.keys(pivots)]);
      if (touched.size === 0) {
        setSaid(mirrored ? words.nothingToMirrorTheSelection : words.noJointsAreMissing);
      } else {
        const places = Object.entries(pivots).map(([part, at]) => [part, at && placeOf(at)]);
        act({ do: 'set-joints', parents, pivots: Object.fromEntries(places) });
      }
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      setSaid(error.message);
    }
  };
  return { propose, said };
}
