/** What the parts can be compared with on the picture: what was brought in, and earlier revisions. */

import { useMemo } from 'react';
import { useRevisions, type WholeIllustration } from '../api/calls';
import { useComparables as words } from './words';

export function useComparables(illustration: WholeIllustration) {
  const revisions = useRevisions(
    illustration.id,
    illustration.revision,
    `${illustration.waiting?.number} ${illustration.waiting?.state}`,
  );
  return useMemo(
    () => [
      { key: 'parts', label: words.partsNow, digest: null },
      ...(revisions.data ?? [])
        .filter((one) => one.picture !== '')
        .map((one) => ({
          key: String(one.number),
          label: one.number === illustration.revision ? words.original : words.revision(one.number),
          digest: one.picture,
        }))
        .sort((one, other) => Number(other.label === 'Original') - Number(one.label === 'Original')),
    ],
    [revisions.data, illustration.revision],
  );
}
