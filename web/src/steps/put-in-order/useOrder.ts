/** What the rows say of pairs, series, looks, depths and what must be there; asked for again after every step. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Schemas } from '../../api/client';
import { askOrder } from '../../api/questions';

export type Order = Schemas['Order'];
export type Series = Schemas['Series'];

export function useOrder(illustration: number, version: number | undefined) {
  return useQuery({
    queryKey: ['order', illustration, version],
    enabled: version !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => askOrder(illustration, signal),
  });
}
