/** Parents and pivots: pointed at, dragged, proposed, tried out by turning, and swung through a range of angles. */

import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import type { Schemas } from '../../api/client';
import { askJoint } from '../../api/questions';
import type { Act } from '../../ledger/useArrangement';
import type { Marking } from '../../pile/marks';
import { carriersOf, pivotOf, posesOf } from '../../rules/joints';
import type { Extent, Spot } from '../../rules/places';
import { circleOf, gripOf, linksOf, posed } from './jointMarks';
import { pivotNear } from './pivots';
import { useJointProposals } from './useJointProposals';
import { useSwing } from './useSwing';

type Joint = Schemas['Joint'];
export type Picking = 'pivot' | 'parent' | null;

interface Props {
  illustration: number;
  view: Arrangement | undefined;
  /** The part that is chosen, when it is the only one. */
  row: Row | undefined;
  canvas: Extent;
  canEdit: boolean;
  isOpen: boolean;
  act: Act;
}

export function useJoints({ illustration, view, row, canvas, canEdit, isOpen, act }: Props) {
  const [picking, setPicking] = useState<Picking>(null);
  const [areAllSeen, setAllSeen] = useState(false);
  const [turns, setTurns] = useState<Readonly<Record<string, number>>>({});
  const rows = view?.rows;
  const id = row?.id;
  const carriers = useMemo(() => carriersOf(rows ?? []), [rows]);
  const parent = id === undefined ? undefined : carriers.get(id);
  const pivot = useMemo(() => pivotOf(row), [row]);
  const canChange = canEdit && row !== undefined && !row.locked;
  useEffect(() => {
    if (!isOpen) setTurns({});
  }, [isOpen]);

  const joint = useJoint(illustration, isOpen && parent ? id : undefined, parent?.id, view?.version);
  const swing = useSwing({ illustration, version: view?.version, id, hasPivot: pivot !== null, isOpen });
  const { found } = swing;
  const shownTurns = useMemo(
    () => (found && id !== undefined ? { ...turns, [id]: found.at } : turns),
    [turns, found, id],
  );
  const poses = useMemo(() => posesOf(rows ?? [], shownTurns), [rows, shownTurns]);
  const pivotDrag = usePivotDrag(row, rows, canvas, joint, act);
  const at = pivotDrag.at ?? pivot;

  const marking = useMemo((): Marking | undefined => {
    if (!isOpen && !row) return undefined;
    const here = posed(poses, row, at);
    const isSet = canChange && (isOpen || picking === 'pivot');
    const ring = { shape: 'ring' as const, onMove: pivotDrag.move };
    const turn = (degrees: number) => row && setTurns((before) => ({ ...before, [row.id]: degrees }));
    return {
      kind: picking === 'pivot' && canChange ? 'pixel' : null,
      masks: swing.masks,
      links: isOpen ? linksOf(rows ?? [], carriers, poses, id, at, areAllSeen) : [],
      handles: [
        ...(here && isSet && poses.size === 0 ? [{ ...ring, at: here }] : []),
        ...(isOpen && row && at && !found ? gripOf(row, at, carriers, poses, turn) : []),
      ],
      poses: isOpen ? poses : null,
      circle: circleOf(here, found?.radius, canChange && (isOpen || picking === 'pivot')),
      onMark: ([spot]) => spot && pivotDrag.move({ x: spot.x + 0.5, y: spot.y + 0.5 }, true),
    };
  }, [row, rows, id, at, pivotDrag.move, carriers, poses, isOpen, picking, canChange, found, swing.masks, areAllSeen]);

  return {
    picking,
    setPicking,
    areAllSeen,
    setAllSeen,
    /** Let a part be carried by another one; whether the pick was meant for that. */
    pickParent: (picked: Row | null): boolean => {
      if (picking !== 'parent' || !row) return false;
      setPicking(null);
      if (picked && picked.id !== row.id) act({ do: 'set-joints', parents: { [row.id]: picked.id } });
      return true;
    },
    turns,
    isTurned: poses.size > 0,
    turn: (part: string, degrees: number) => setTurns((before) => ({ ...before, [part]: degrees })),
    rest: () => {
      setTurns({});
      swing.end();
    },
    parent,
    joint,
    ...useJointProposals(illustration, act),
    marking,
    swing: found,
    isSwinging: swing.isBusy,
    swingError: swing.error,
    swingRange: swing.range,
    startSwing: (start: number, end: number) => {
      setTurns({});
      swing.start(start, end);
    },
    setSwingAt: swing.setAt,
    completions: swing.completions,
  };
}

export type Joints = ReturnType<typeof useJoints>;

/** Where the limb's end, or what it shares with its parent, says that the pivot is. */
function useJoint(
  illustration: number,
  id: string | undefined,
  parent: string | undefined,
  version: number | undefined,
): Joint | null {
  const query = useQuery({
    queryKey: ['joint', illustration, id, parent, version],
    enabled: id !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: (before: Joint | null | undefined, last) => (last?.queryKey[2] === id ? before : undefined),
    queryFn: ({ signal }): Promise<Joint | null> => askJoint(illustration, id ?? '', signal),
  });
  return (id !== undefined && query.data) || null;
}

/** A pivot that is dragged, or set with a click: it snaps to what is near. */
function usePivotDrag(
  row: Row | undefined,
  rows: readonly Row[] | undefined,
  canvas: Extent,
  joint: Joint | null,
  act: Act,
) {
  const [at, setAt] = useState<Spot | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was begun for one part is not for another
  useEffect(() => setAt(null), [row?.id]);
  const move = useMemo(
    () => (spot: Spot, isDone: boolean) => {
      if (!row) return;
      const known = joint ? [{ x: joint.at[0] ?? 0, y: joint.at[1] ?? 0 }] : [];
      const { x, y } = pivotNear(spot, row, rows ?? [], canvas, known);
      setAt(isDone ? null : { x, y });
      if (isDone)
        act({ do: 'set-pivots', pivots: { [row.id]: [Math.round(x * 100) / 100, Math.round(y * 100) / 100] } });
    },
    [row, rows, canvas, joint, act],
  );
  return { at, move };
}
