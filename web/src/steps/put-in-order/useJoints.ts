/** Parents and pivots: pointed at, dragged, proposed, tried out by turning, and swung through a range of angles. */

import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import { Refusal, type Schemas } from '../../api/client';
import { askJoint, askJoints, askSwing } from '../../api/questions';
import { placeOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import { bitmapOf } from '../../pile/bitmaps';
import type { Bone, Handle, Marking, Mask } from '../../pile/marks';
import { carriersOf, movedBy, pivotOf, posesOf } from '../../rules/joints';
import type { Extent, Spot } from '../../rules/places';
import { pivotNear } from './pivots';

export type Swing = Schemas['Swing'];
type Joint = Schemas['Joint'];
export type Picking = 'pivot' | 'parent' | null;

const OPENS = '#d5342a';
const JUTS = '#7a3fb5';
/** Pixels of the canvas from a pivot to the grip by which a part is turned. */
const LEAST_ARM = 40;

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

const middleOf = (row: Row | undefined): Spot | null => {
  const [x = 0, y = 0, width = 0, height = 0] = row?.box ?? [];
  return row?.box ? { x: x + width / 2, y: y + height / 2 } : null;
};

export function useJoints({ illustration, view, row, canvas, canEdit, isOpen, act }: Props) {
  const [picking, setPicking] = useState<Picking>(null);
  const [turns, setTurns] = useState<Readonly<Record<string, number>>>({});
  const [dragged, setDragged] = useState<Spot | null>(null);
  const [swingRange, setSwingRange] = useState<{ start: number; end: number } | null>(null);
  const [swingAt, setSwingAt] = useState<number | undefined>();
  const [masks, setMasks] = useState<readonly Mask[]>([]);
  const [said, setSaid] = useState('');
  const rows = view?.rows;
  const id = row?.id;
  const carriers = useMemo(() => carriersOf(rows ?? []), [rows]);
  const parent = id === undefined ? undefined : carriers.get(id);
  const pivot = useMemo(() => pivotOf(row), [row]);
  const canChange = canEdit && row !== undefined && !row.locked;

  // biome-ignore lint/correctness/useExhaustiveDependencies: what was begun for one part is not for another
  useEffect(() => {
    setDragged(null);
    setSwingRange(null);
    setSwingAt(undefined);
  }, [id]);
  useEffect(() => {
    if (!isOpen) setTurns({});
  }, [isOpen]);

  const joint = useQuery({
    queryKey: ['joint', illustration, id, parent?.id, view?.version],
    enabled: isOpen && parent !== undefined,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    placeholderData: (before: Joint | null | undefined, query) => (query?.queryKey[2] === id ? before : undefined),
    queryFn: ({ signal }): Promise<Joint | null> => askJoint(illustration, id ?? '', signal),
  });
  const swing = useQuery({
    queryKey: ['swing', illustration, id, view?.version, swingRange, swingAt],
    enabled: isOpen && swingRange !== null && pivot !== null,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    // The curve of the same part stays until the next one is there.
    placeholderData: (before: Swing | undefined, query) => (query?.queryKey[2] === id ? before : undefined),
    queryFn: ({ signal }): Promise<Swing> =>
      askSwing(
        illustration,
        {
          row: id ?? '',
          start: swingRange?.start ?? -30,
          end: swingRange?.end ?? 30,
          steps: 61,
          ...(swingAt !== undefined && { at: swingAt }),
        },
        signal,
      ),
  });
  const found = swingRange && isOpen ? swing.data : undefined;
  useEffect(() => {
    setMasks([]);
    if (!found || !isOpen) return;
    let isLate = false;
    void Promise.all([bitmapOf(found.opened_mask), bitmapOf(found.jutting_mask)]).then(([opens, juts]) => {
      if (isLate) return;
      setMasks([
        { picture: opens, box: found.box, colour: OPENS },
        { picture: juts, box: found.box, colour: JUTS },
      ]);
    });
    return () => {
      isLate = true;
    };
  }, [found, isOpen]);

  const shownTurns = useMemo(
    () => (found && id !== undefined ? { ...turns, [id]: found.at } : turns),
    [turns, found, id],
  );
  const poses = useMemo(() => posesOf(rows ?? [], shownTurns), [rows, shownTurns]);
  const isTurned = poses.size > 0;

  const propose = async (of: readonly string[], mirrored = false) => {
    setSaid('');
    try {
      const { parents, pivots } = await askJoints(illustration, of, mirrored);
      const touched = new Set([...Object.keys(parents), ...Object.keys(pivots)]);
      if (touched.size === 0) {
        setSaid(mirrored ? 'It has no twin on the other side, or nothing to mirror.' : 'Nothing is left to propose.');
      } else {
        const places = Object.entries(pivots).map(([part, at]) => [part, at && placeOf(at)]);
        act({ do: 'set-joints', parents, pivots: Object.fromEntries(places) });
      }
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      setSaid(error.message);
    }
  };

  const marking = useMemo((): Marking | undefined => {
    const at = dragged ?? pivot;
    const known = joint.data ? [{ x: joint.data.at[0] ?? 0, y: joint.data.at[1] ?? 0 }] : [];
    const snapped = (spot: Spot) => (row ? pivotNear(spot, row, rows ?? [], canvas, known) : spot);
    const set = ({ x, y }: Spot) => {
      if (row) act({ do: 'set-pivots', pivots: { [row.id]: [Math.round(x * 100) / 100, Math.round(y * 100) / 100] } });
    };
    const posed = (of: Row | undefined, spot: Spot | null) => {
      const pose = of && poses.get(of.id);
      return pose && spot ? movedBy(pose, spot) : spot;
    };
    const bones: Bone[] = [];
    const handles: Handle[] = [];
    if (isOpen) {
      for (const carried of rows ?? []) {
        const carrier = carriers.get(carried.id);
        if (!carrier || !carried.box) continue;
        // What is carried is led by its carrier's pose, and turns about its own pivot.
        const from = posed(carrier, pivotOf(carrier) ?? middleOf(carrier));
        const to = posed(carried, (carried.id === id ? at : pivotOf(carried)) ?? middleOf(carried));
        if (from && to) bones.push({ from, to, isChosen: carried.id === id });
      }
    }
    const here = posed(row, at);
    if (here && canChange && (isOpen || picking === 'pivot') && !isTurned) {
      handles.push({
        at: here,
        shape: 'ring',
        onMove: (spot, isDone) => {
          setDragged(isDone ? null : snapped(spot));
          if (isDone) set(snapped(spot));
        },
      });
    }
    if (isOpen && row && at && !found) {
      const middle = middleOf(row) ?? at;
      const arm = Math.max(LEAST_ARM, Math.hypot(middle.x - at.x, middle.y - at.y));
      const rest = Math.atan2(middle.y - at.y || 1, middle.x - at.x);
      const grip = posed(row, { x: at.x + arm * Math.cos(rest), y: at.y + arm * Math.sin(rest) });
      const about = here ?? at;
      if (grip) {
        handles.push({
          at: grip,
          shape: 'grip',
          onMove: (spot) => {
            const carrier = carriers.get(row.id);
            const base = carrier ? poses.get(carrier.id) : undefined;
            const led = base ? Math.atan2(base[1], base[0]) : 0;
            const angle = ((Math.atan2(spot.y - about.y, spot.x - about.x) - rest - led) * 180) / Math.PI;
            const turn = Math.round(((((angle + 180) % 360) + 360) % 360) - 180);
            setTurns((before) => ({ ...before, [row.id]: turn }));
          },
        });
      }
    }
    if (!isOpen && !row) return undefined;
    return {
      kind: picking === 'pivot' && canChange ? 'pixel' : null,
      masks,
      bones,
      handles,
      poses: isOpen ? poses : null,
      circle:
        here && found
          ? { at: here, radius: found.radius }
          : here && (!canChange || (!isOpen && picking !== 'pivot'))
            ? { at: here, radius: 0 }
            : null,
      onMark: ([spot]) => {
        if (spot) set(snapped({ x: spot.x + 0.5, y: spot.y + 0.5 }));
      },
    };
  }, [
    row,
    rows,
    id,
    pivot,
    dragged,
    joint.data,
    carriers,
    poses,
    isTurned,
    isOpen,
    picking,
    canChange,
    canvas,
    found,
    masks,
    act,
  ]);

  /** Let a part be carried by another one; answers whether the pick was meant for that. */
  const pickParent = (picked: Row | null): boolean => {
    if (picking !== 'parent' || !row) return false;
    setPicking(null);
    if (picked && picked.id !== row.id) act({ do: 'set-joints', parents: { [row.id]: picked.id } });
    return true;
  };

  /** Of the part and its parent, the one that lies behind is completed beneath the other. */
  const behind = useMemo(() => {
    if (!row || !parent || !rows) return undefined;
    return rows.findIndex((one) => one.id === row.id) < rows.findIndex((one) => one.id === parent.id) ? row : parent;
  }, [row, parent, rows]);
  const complete = (how: 'grow-under' | 'round-off') => {
    if (!found || !behind) return;
    const [x = 0, y = 0] = found.pivot;
    act(
      how === 'grow-under'
        ? { do: how, row: behind.id, by: Math.min(500, Math.max(4, Math.ceil(found.radius))) }
        : {
            do: how,
            row: behind.id,
            at: [x, y],
            radius: Math.max(1, Math.min(2000, Math.round(found.radius * 10) / 10)),
          },
    );
  };

  return {
    picking,
    setPicking,
    pickParent,
    turns,
    isTurned,
    turn: (part: string, degrees: number) => setTurns((before) => ({ ...before, [part]: degrees })),
    rest: () => {
      setTurns({});
      setSwingRange(null);
    },
    parent,
    joint: joint.data ?? null,
    propose,
    said,
    marking,
    swing: found,
    isSwinging: swingRange !== null && swing.isFetching,
    swingError: swingRange ? swing.error : null,
    swingRange,
    startSwing: (start: number, end: number) => {
      setTurns({});
      setSwingAt(undefined);
      setSwingRange({ start, end });
    },
    setSwingAt,
    behind,
    complete,
  };
}

export type Joints = ReturnType<typeof useJoints>;
