/** What gestures choose of a part, which pieces it has, and how far the parts are from what was brought in: asked of the server. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { Row } from '../../api/calls';
import { askDifference, askIslands, askSelection } from '../../api/questions';
import { bitmapOf } from '../../pile/bitmaps';
import type { Edge, Gesture } from './gestures';
import type { Pieces } from './pieces';
import { useRested } from './useRested';

/** What gestures choose of one frame of a part. */
export function useSelection(
  illustration: number,
  from: Row | undefined,
  art: string | undefined,
  gestures: readonly Gesture[],
  edge: Edge,
  frame: number,
) {
  const asked = useRested(
    useMemo(() => ({ art, row: from?.id ?? '', gestures, edge, frame }), [art, from?.id, gestures, edge, frame]),
  );
  return useQuery({
    queryKey: ['selection', illustration, asked],
    enabled: asked.gestures.length > 0,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const { row, gestures: made, edge: wanted, frame: at } = asked;
      const request = { row, gestures: [...made], edge: wanted, frame: at };
      const found = await askSelection(illustration, request, signal);
      return { ...found, picture: await bitmapOf(found.mask) };
    },
  });
}

/** The separate pieces of a part, while they are looked at. */
export function useSeparate(
  illustration: number,
  from: Row | undefined,
  art: string | undefined,
  pieces: Pieces | null,
) {
  const wantedPieces = useRested(pieces && `${pieces.gap} ${pieces.smallest}`);
  return useQuery({
    queryKey: ['islands', illustration, art, wantedPieces],
    enabled: wantedPieces !== null && from !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const [gap = 0, smallest = 1] = (wantedPieces ?? '').split(' ').map(Number);
      const request = { row: from?.id ?? '', gap, smallest };
      const found = await askIslands(illustration, request, signal);
      const pictures = await Promise.all(found.pieces.map((piece) => bitmapOf(piece.mask)));
      return { ...found, pictures };
    },
  });
}

/** Where the parts differ from what was brought in, once somebody has asked; until the next step. */
export function useDifference(illustration: number, version: number | undefined, isOpen: boolean) {
  const [comparedAt, setComparedAt] = useState<number | null>(null);
  const difference = useQuery({
    queryKey: ['difference', illustration, version],
    enabled: isOpen && comparedAt !== null && comparedAt === version,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    queryFn: async ({ signal }) => {
      const found = await askDifference(illustration, signal);
      return { ...found, picture: await bitmapOf(found.mask) };
    },
  });
  const compared = comparedAt === version ? difference.data : undefined;
  return { compared, compare: () => setComparedAt(version ?? null), isFetching: difference.isFetching };
}
