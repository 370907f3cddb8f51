/** The lines on the picture between which a part can be stretched. */

import { useEffect, useMemo, useState } from 'react';
import type { Row } from '../../api/calls';
import { marginsOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import type { Guide, Marking } from '../../pile/marks';

interface Props {
  row: Row | undefined;
  canEdit: boolean;
  isOpen: boolean;
  act: Act;
}

export function useFit({ row, canEdit, isOpen, act }: Props) {
  const [dragged, setDragged] = useState<readonly number[] | null>(null);
  const [said, setSaid] = useState('');
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was said of one part is not of another
  useEffect(() => {
    setDragged(null);
    setSaid('');
  }, [row?.id]);
  const marking = useMemo((): Marking | undefined => {
    const margins = dragged ?? row?.margins;
    if (!isOpen || !row?.box || !margins) return undefined;
    const [x = 0, y = 0, width = 0, height = 0] = row.box;
    const [left = 0, top = 0, right = 0, bottom = 0] = margins;
    const move = (side: number, to: number, isDone: boolean) => {
      const other = margins[(side + 2) % 4] ?? 0;
      const size = side % 2 === 0 ? width : height;
      const next = margins.map((one, at) => (at === side ? Math.min(Math.max(Math.round(to), 0), size - other) : one));
      setDragged(isDone ? null : next);
      if (isDone) act({ do: 'set-fits', margins: { [row.id]: marginsOf(next) } });
    };
    const guides: Guide[] = [
      { axis: 'x', at: x + left, onMove: (at, isDone) => move(0, at - x, isDone) },
      { axis: 'y', at: y + top, onMove: (at, isDone) => move(1, at - y, isDone) },
      { axis: 'x', at: x + width - right, onMove: (at, isDone) => move(2, x + width - at, isDone) },
      { axis: 'y', at: y + height - bottom, onMove: (at, isDone) => move(3, y + height - at, isDone) },
    ];
    return { kind: null, masks: [], guides: canEdit && !row.locked ? guides : [], guided: row.box, onMark: () => {} };
  }, [row, isOpen, canEdit, dragged, act]);
  return { marking, said, setSaid };
}
