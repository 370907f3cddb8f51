import { NumberInput } from '@mantine/core';
import type { Row } from '../../api/calls';
import { placeOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import { placeFields as words } from './words';

interface Props {
  /** None where not one row with art is chosen: the fields keep their place. */
  row: Row | undefined;
  off: boolean;
  act: Act;
}

const LARGE_STEP = 10;
const AXES = ['x', 'y'] as const;

/** Where a part lies, typed or nudged: the arrow keys move it by 1 px, with Shift by 10. */
export function PlaceFields({ row, off, act }: Props) {
  const place = (axis: number, to: number) => {
    if (!row) return;
    const by = to - (row.box?.[axis] ?? 0);
    const offset = row.offset.map((value, index) => value + (index === axis ? by : 0));
    if (by !== 0) act({ do: 'place-parts', offsets: { [row.id]: placeOf(offset) } });
  };
  return AXES.map((name, axis) => (
    <NumberInput
      key={name}
      size="xs"
      w={86}
      leftSection={name}
      leftSectionWidth={22}
      suffix=" px"
      hideControls
      allowDecimal={false}
      disabled={off || !row}
      aria-label={row ? words.of(name, row.name) : name}
      value={row?.box?.[axis] ?? ''}
      onBlur={(event) => place(axis, Number.parseInt(event.currentTarget.value, 10) || 0)}
      onKeyDown={(event) => {
        const direction = event.key === 'ArrowUp' ? 1 : event.key === 'ArrowDown' ? -1 : 0;
        if (direction !== 0) {
          event.preventDefault();
          place(axis, (row?.box?.[axis] ?? 0) + direction * (event.shiftKey ? LARGE_STEP : 1));
        } else if (event.key === 'Enter') event.currentTarget.blur();
      }}
    />
  ));
}
