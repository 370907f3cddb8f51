import { Button, NumberInput, Popover } from '@mantine/core';
import { useEffect, useState } from 'react';
import type { Row } from '../../api/calls';
import type { Command } from '../../ledger/commands';
import classes from './BenchDrawer.module.css';

interface Props {
  row: Row;
  off: boolean;
  isOpen: boolean;
  onOpen: (isOpen: boolean) => void;
  act: (command: Command) => void;
  /** A mirror image about the pivot. */
  onMirror: () => void;
}

/** What a part turns about: clicked on the picture while this is open, or typed. */
export function PivotFields({ row, off, isOpen, onOpen, act, onMirror }: Props) {
  const [x, y] = row.pivot ?? [];
  const [typed, setTyped] = useState<[number | string, number | string]>([x ?? '', y ?? '']);
  useEffect(() => setTyped([x ?? '', y ?? '']), [x, y]);
  const set = () => {
    const [left, top] = typed;
    if (typeof left !== 'number' || typeof top !== 'number' || (left === x && top === y)) return;
    act({ do: 'set-pivots', pivots: { [row.id]: [left, top] } });
  };
  return (
    <Popover opened={isOpen} onChange={onOpen} closeOnClickOutside={false} trapFocus position="top" withinPortal>
      <Popover.Target>
        <Button
          size="compact-sm"
          variant={isOpen ? 'filled' : 'default'}
          disabled={off}
          aria-pressed={isOpen}
          aria-keyshortcuts="V"
          onClick={() => onOpen(!isOpen)}
        >
          Pivot{' '}
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
            Click on the picture where {row.name} turns, or type the place. Corners, edges and the middle of its box,
            and other pivots, are met when you are near.
          </p>
          {(['x', 'y'] as const).map((axis, at) => (
            <NumberInput
              key={axis}
              size="xs"
              label={`Pivot, ${axis}`}
              suffix=" px"
              decimalScale={2}
              value={typed[at]}
              onChange={(value) => setTyped(at === 0 ? [value, typed[1]] : [typed[0], value])}
              onBlur={set}
            />
          ))}
          <Button type="submit" size="xs">
            Set it
          </Button>
          <Button
            size="xs"
            variant="subtle"
            disabled={!row.pivot}
            onClick={() => act({ do: 'set-pivots', pivots: { [row.id]: null } })}
          >
            Remove it
          </Button>
          <Button size="xs" variant="default" disabled={!row.pivot} onClick={onMirror}>
            Mirror the part about it
          </Button>
        </form>
      </Popover.Dropdown>
    </Popover>
  );
}
