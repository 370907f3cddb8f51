/** Proposals for a part while they are wanted: the borders of all, and the one under the pointer. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';
import { askProposals } from '../../api/questions';
import type { Mask } from '../../pile/marks';
import type { Spot } from '../../rules/places';
import { Regions } from './proposals';

const HOVER = '#d5562a';

export function useProposals(
  illustration: number,
  row: string | undefined,
  art: string | undefined,
  regions: number,
  isWanted: boolean,
) {
  const [borders, setBorders] = useState<Mask | null>(null);
  const [hovered, setHovered] = useState<Mask | null>(null);
  const under = useRef('');
  const query = useQuery({
    queryKey: ['proposals', illustration, art],
    enabled: isWanted && row !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 300_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      return Regions.of(await askProposals(illustration, row ?? '', signal));
    },
  });
  const found = isWanted && !query.isPlaceholderData ? query.data : undefined;
  useEffect(() => {
    setHovered(null);
    under.current = '';
    if (!found) {
      setBorders(null);
      return;
    }
    let isLate = false;
    void found.borders(regions).then((mask) => !isLate && setBorders(mask));
    return () => {
      isLate = true;
    };
  }, [found, regions]);
  const onHover = useCallback(
    (spot: Spot | null) => {
      const region = spot && found ? found.at(spot, regions) : 0;
      const key = `${region} ${regions}`;
      if (!found || under.current === key) return;
      under.current = key;
      if (region === 0) setHovered(null);
      else void found.mask(region, regions, HOVER).then((mask) => under.current === key && setHovered(mask));
    },
    [found, regions],
  );
  return { found, borders, hovered, onHover, isComputing: isWanted && query.isFetching, error: query.error };
}
