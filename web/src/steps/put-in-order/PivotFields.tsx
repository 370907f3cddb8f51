import { Button, NativeSelect, NumberInput, Popover } from '@mantine/core';
import { useEffect, useState } from 'react';
import type { Row } from '../../api/calls';
import { placeOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import classes from './BenchDrawer.module.css';
import { pivotFields as words } from './words';

interface Props {
  row: Row | undefined;
  off: boolean;
  isOpen: boolean;
  onOpen: (isOpen: boolean) => void;
  act: Act;
  /** A mirror image about the pivot. */
  onMirror: () => void;
}

type Frame = 'canvas' | 'box' | 'fraction';
const FRAMES: { value: Frame; label: string }[] = [
  { value: 'canvas', label: words.pxOnTheCanvas },
  { value: 'box', label: words.pxFromTheTopLeft },
  { value: 'fraction', label: words.fractionsOfThePart },
];

/** A pivot as it is told in one of the three frames of the manifest. */
function told(
  pivot: readonly number[] | null,
  frame: Frame,
  [left, top, width, height]: [number, number, number, number],
) {
  if (!pivot) return [];
  const [x = 0, y = 0] = pivot;
  if (frame === 'canvas') return [x, y];
  if (frame === 'box') return [x - left, y - top];
  return [Math.round(((x - left) / width) * 1e4) / 1e4, Math.round(((y - top) / height) * 1e4) / 1e4];
}

/** What a part turns about: clicked on the picture while this is open, or typed. */
export function PivotFields({ row, off, isOpen, onOpen, act, onMirror }: Props) {
  const [frame, setFrame] = useState<Frame>('canvas');
  const [left = 0, top = 0, width = 1, height = 1] = row?.box ?? [];
  const [x, y] = told(row?.pivot ?? null, frame, [left, top, width, height]);
  const [typed, setTyped] = useState<[number | string, number | string]>([x ?? '', y ?? '']);
  useEffect(() => setTyped([x ?? '', y ?? '']), [x, y]);
  const set = () => {
    if (!row) return;
    const [across, down] = typed;
    if (typeof across !== 'number' || typeof down !== 'number' || (across === x && down === y)) return;
    const place = {
      canvas: [across, down],
      box: [left + across, top + down],
      fraction: [left + across * width, top + down * height],
    }[frame];
    act({ do: 'set-pivots', pivots: { [row.id]: placeOf(place) } });
  };
  return (
    <Popover opened={isOpen} onChange={onOpen} closeOnClickOutside={false} trapFocus position="top" withinPortal>
      <Popover.Target>
        <Button
          size="compact-sm"
          variant="default"
          disabled={off}
          aria-pressed={isOpen}
          aria-keyshortcuts="V"
          onClick={() => onOpen(!isOpen)}
        >
          {words.pivot}
          <span className={classes.key} aria-hidden="true">
            V
          </span>
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <form
          className={classes.pivot}
          onSubmit={(event) => {
            event.preventDefault();
            set();
          }}
        >
          <p>
            {words.clickOnThePictureWhere}
            {row?.name}
            {words.turnsOrTypeThePosition}
          </p>
          <NativeSelect
            size="xs"
            label={words.unit}
            className={classes.wide}
            data={FRAMES}
            value={frame}
            onChange={(event) => setFrame(event.currentTarget.value as Frame)}
          />
          {(['x', 'y'] as const).map((axis, at) => (
            <NumberInput
              key={axis}
              size="xs"
              label={words.pivotAxis(axis)}
              suffix={frame === 'fraction' ? '' : ' px'}
              step={frame === 'fraction' ? 0.05 : 1}
              decimalScale={frame === 'fraction' ? 4 : 2}
              value={typed[at]}
              onChange={(value) => setTyped(at === 0 ? [value, typed[1]] : [typed[0], value])}
              onBlur={set}
            />
          ))}
          <Button type="submit" size="xs">
            {words.setPivot}
          </Button>
          <Button
            size="xs"
            variant="subtle"
            disabled={!row?.pivot}
            onClick={() => row && act({ do: 'set-pivots', pivots: { [row.id]: null } })}
          >
            {words.removePivot}
          </Button>
          <Button size="xs" variant="default" disabled={!row?.pivot} onClick={onMirror}>
            {words.mirrorAboutPivot}
          </Button>
        </form>
      </Popover.Dropdown>
    </Popover>
  );
}
