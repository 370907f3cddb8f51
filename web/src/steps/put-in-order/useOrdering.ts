/** The state of the step: which page is open, what the rows say, and what lies over the picture. */
import { useState } from 'react';
import type { Arrangement } from '../../api/calls';
import type { Command } from '../../ledger/commands';
import type { Extent } from '../../pile/view';
import { useFit } from './useFit';
import { useJoints } from './useJoints';
import { useOrder } from './useOrder';

export type Page = 'rows' | 'joints' | 'sets' | 'depth' | 'fit' | 'notes';

interface Props {
  illustration: number;
  view: Arrangement | undefined;
  chosenIds: readonly string[];
  canvas: Extent;
  canEdit: boolean;
  isOpen: boolean;
  act: (command: Command) => void;
  perform: (send: (version: number) => Promise<Arrangement>) => void;
}

export function useOrdering({ illustration, view, chosenIds, canvas, canEdit, isOpen, act, perform }: Props) {
  const [page, setPage] = useState<Page>('rows');
  const only = chosenIds.length === 1 ? view?.rows.find((one) => one.id === chosenIds[0]) : undefined;
  const row = only?.kind === 'part' ? only : undefined;
  const isAtJoints = isOpen && page === 'joints';
  const joints = useJoints({ illustration, view, row, canvas, canEdit, isOpen: isAtJoints, act, perform });
  const fit = useFit({ row, canEdit, isOpen: isOpen && page === 'fit', act });
  const order = useOrder(illustration, view?.version);
  return {
    page,
    setPage,
    row,
    joints,
    fit,
    order: order.data,
    marking: isOpen ? (fit.marking ?? joints.marking) : undefined,
  };
}

export type Ordering = ReturnType<typeof useOrdering>;
