import { Button, Menu } from '@mantine/core';
import { useRef } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import type { Act } from '../../ledger/useArrangement';
import { placesTowards } from '../../rules/commands';
import { membersOf } from '../../rules/tree';
import type { Beside } from './useOrdering';
import { orderMenu as words } from './words';

interface Props {
  view: Arrangement;
  rows: readonly Row[];
  chosen: ReadonlySet<string>;
  canEdit: boolean;
  act: Act;
  beside: Beside;
  onBeside: (beside: Beside) => void;
}

/** Where rows lie that cannot be said with one step nearer or farther. */
export function OrderMenu({ view, rows, chosen, canEdit, act, beside, onBeside }: Props) {
  const [first] = rows;
  const group = rows.length === 1 && first?.kind === 'group' ? first.id : (first?.group ?? null);
  const name = view.rows.find((row) => row.id === group)?.name;
  const by = (how: 'name' | 'depth') => act({ do: 'order-rows', group, by: how });
  const asInTheArt = () => {
    const numberOf = (row: Row): number =>
      row.kind === 'part'
        ? (row.layer_number ?? Number.POSITIVE_INFINITY)
        : Math.min(...(members.get(row.id) ?? []).map(numberOf), Number.POSITIVE_INFINITY);
    const members = membersOf(view.rows);
    const listed = [...(members.get(group) ?? [])].sort((one, other) => numberOf(one) - numberOf(other));
    act({ do: 'order-rows', group, by: 'listed', listed: listed.map((row) => row.id) });
  };
  const dropdown = useRef<HTMLDivElement>(null);
  // It is hidden while it is closed, and takes the focus once it can be seen.
  const focusFirst = () =>
    setTimeout(() => dropdown.current?.querySelector<HTMLElement>('[role="menuitem"]:not(:disabled)')?.focus(), 50);
  return (
    // What is in it is there while it is closed: its keys do the same.
    <Menu position="top-end" withinPortal keepMounted onOpen={focusFirst}>
      <Menu.Target>
        <Button
          size="compact-sm"
          variant={beside ? 'filled' : 'default'}
          disabled={!canEdit}
          onClick={() => beside && onBeside(null)}
        >
          {beside === 'in-front' ? words.clickOnThePart : beside === 'behind' ? words.clickOnThePartTo : words.order}
        </Button>
      </Menu.Target>
      <Menu.Dropdown ref={dropdown}>
        {(
          [
            ['nearer', words.nearer, 'N'],
            ['farther', words.farther, 'F'],
            ['front', words.toTheFront, 'Shift+N'],
            ['back', words.toTheBack, 'Shift+F'],
          ] as const
        ).map(([direction, label, key]) => {
          const places = canEdit ? placesTowards(view.rows, chosen, direction) : [];
          return (
            <Menu.Item
              key={direction}
              disabled={places.length === 0}
              aria-keyshortcuts={key}
              rightSection={<span aria-hidden="true">{key.replace('+', ' ')}</span>}
              onClick={() => act({ do: 'move-rows', places })}
            >
              {label}
            </Menu.Item>
          );
        })}
        <Menu.Item disabled={rows.length === 0} onClick={() => onBeside('in-front')}>
          {words.directlyInFrontOf}
        </Menu.Item>
        <Menu.Item disabled={rows.length === 0} onClick={() => onBeside('behind')}>
          {words.directlyBehind}
        </Menu.Item>
        <Menu.Divider />
        <Menu.Label>{name ? words.sortFirstAtTheBack(name) : words.sortTheOutermostPartsFirst}</Menu.Label>
        <Menu.Item onClick={() => by('name')}>{words.byName}</Menu.Item>
        <Menu.Item onClick={() => by('depth')}>{words.byDepth}</Menu.Item>
        <Menu.Item onClick={asInTheArt}>{words.originalOrder}</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
