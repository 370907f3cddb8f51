import { Button, NativeSelect, NumberInput } from '@mantine/core';
import type { Row } from '../../api/calls';
import { Refusal, type Schemas } from '../../api/client';
import { askMargins } from '../../api/questions';
import { marginsOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import { carriersOf } from '../../rules/joints';
import form from '../../ui/form.module.css';
import pages from '../../ui/pages.module.css';
import classes from './PutInOrder.module.css';
import { fit as words } from './words';

type Role = NonNullable<Schemas['PartRoleEnum']>;

interface Props {
  illustration: number;
  rows: readonly Row[];
  chosen: readonly Row[];
  canvas: { width: number; height: number };
  canEdit: boolean;
  act: Act;
  onSaid: (sentence: string) => void;
  said: string;
}

export const ROLES: readonly { value: Role; label: string }[] = [
  { value: 'picture', label: words.plainPicture },
  { value: 'press-target', label: words.pressTarget },
  { value: 'text', label: words.text },
  { value: 'ground', label: words.ground },
  { value: 'reference', label: words.reference },
  { value: 'guide', label: words.guide },
  { value: 'loose', label: words.looseObject },
];
const SIDES = ['left', 'top', 'right', 'bottom'] as const;
const ACROSS = ['left', 'middle', 'right'] as const;
const DOWN = ['top', 'middle', 'bottom'] as const;

/** What a part is for, and how it follows the screen. */
export function Fit({ illustration, rows, chosen, canvas, canEdit, act, onSaid, said }: Props) {
  const parts = chosen.filter((row) => row.kind === 'part');
  const [first] = parts;
  const off = !canEdit || parts.length === 0 || parts.some((row) => row.locked);
  if (!first) return <p className={`${pages.page} ${form.told}`}>{words.selectPartsInTheLedger}</p>;
  const roles = new Set(parts.map((row) => row.role));
  const only = parts.length === 1 && first.box ? first : null;
  const carrier = carriersOf(rows).get(first.id);
  const all = <T,>(value: T) => Object.fromEntries(parts.map((row) => [row.id, value]));
  const find = async (row: Row) => {
    onSaid('');
    try {
      const { margins } = await askMargins(illustration, row.id);
      if (margins) act({ do: 'set-fits', margins: { [row.id]: marginsOf(margins) } });
      else onSaid(words.hasNoRunOfEqual(row.name));
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      onSaid(error.message);
    }
  };
  return (
    <div className={pages.page}>
      <div className={form.form}>
        <h3>{only ? first.name : words.parts(parts.length)}</h3>
        <NativeSelect
          size="xs"
          label={words.role}
          disabled={off}
          data={[...(roles.size > 1 ? [{ value: '', label: words.mixed }] : []), ...ROLES]}
          value={roles.size > 1 ? '' : first.role}
          onChange={(event) => {
            const role = event.currentTarget.value as Role | '';
            if (role) act({ do: 'set-roles', roles: all(role) });
          }}
        />
      </div>
      <div className={form.form}>
        <h3>{words.screenAnchor}</h3>
        {only && <Fractions row={only} carrier={carrier} canvas={canvas} />}
        <p className={form.told}>{words.keepsDistanceAndAspectRatio}</p>
        <div className={form.row}>
          <Anchors at={first.anchor} off={off} onPick={(at) => act({ do: 'set-fits', anchors: all(at) })} />
          <Button
            size="compact-sm"
            variant="subtle"
            disabled={off || !first.anchor}
            onClick={() => act({ do: 'set-fits', anchors: all(null) })}
          >
            {words.noAnchor}
          </Button>
        </div>
      </div>
      {only && <Margins row={first} off={off} said={said} act={act} onFind={() => find(first)} />}
    </div>
  );
}

interface AnchorsProps {
  at: Row['anchor'];
  off: boolean;
  onPick: (at: [number, number]) => void;
}

/** Nine places of the screen. */
function Anchors({ at, off, onPick }: AnchorsProps) {
  return (
    <fieldset className={classes.anchors} aria-label={words.screenAnchor}>
      {DOWN.flatMap((down, y) =>
        ACROSS.map((across, x) => (
          <button
            key={`${down} ${across}`}
            type="button"
            aria-pressed={at?.[0] === x / 2 && at[1] === y / 2}
            aria-label={`${down} ${across}`}
            title={`${down} ${across}`}
            disabled={off}
            onClick={() => onPick([x / 2, y / 2])}
          />
        )),
      )}
    </fieldset>
  );
}

interface MarginsProps {
  row: Row;
  off: boolean;
  said: string;
  act: Act;
  onFind: () => void;
}

/** How much of each side keeps its size when the part is stretched. */
function Margins({ row, off, said, act, onFind }: MarginsProps) {
  return (
    <div className={form.form}>
      <h3>{words.fixedMargins}</h3>
      <p className={form.told}>{row.margins ? words.cornersOutsideTheLinesKeep : words.findsTheEqualColumns}</p>
      <div className={form.row}>
        {SIDES.map((side, at) => (
          <NumberInput
            key={side}
            size="xs"
            label={side}
            suffix=" px"
            hideControls
            style={{ flexBasis: '4rem' }}
            allowDecimal={false}
            min={0}
            disabled={off}
            value={row.margins?.[at] ?? ''}
            onChange={(value) => {
              if (typeof value !== 'number' || value === row.margins?.[at]) return;
              const margins = [0, 1, 2, 3].map((one) => (one === at ? value : (row.margins?.[one] ?? 0)));
              act({ do: 'set-fits', margins: { [row.id]: marginsOf(margins) } });
            }}
          />
        ))}
      </div>
      <div className={form.row}>
        <Button size="xs" variant="default" disabled={off} onClick={onFind}>
          {words.detect}
        </Button>
        <Button
          size="xs"
          variant="subtle"
          disabled={off || !row.margins}
          onClick={() => act({ do: 'set-fits', margins: { [row.id]: null } })}
        >
          {words.clearMargins}
        </Button>
      </div>
      <p role="status" className={form.state}>
        {said}
      </p>
    </div>
  );
}

function Fractions({
  row,
  carrier,
  canvas,
}: {
  row: Row;
  carrier: Row | undefined;
  canvas: { width: number; height: number };
}) {
  const [x = 0, y = 0, width = 0, height = 0] = row.box ?? [];
  const within = (left: number, top: number, across: number, down: number) =>
    [(x - left) / across, (y - top) / down, width / across, height / down].map((one) => one.toFixed(4));
  const [left = 0, top = 0, across = 1, down = 1] = carrier?.box ?? [];
  return (
    <table className={classes.depths}>
      <thead>
        <tr>
          <th>{words.asFractionsOf}</th>
          <th>x</th>
          <th>y</th>
          <th>{words.width}</th>
          <th>{words.height}</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <td>{words.theCanvas}</td>
          {within(0, 0, canvas.width, canvas.height).map((one, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: four columns that stay
            <td key={at}>{one}</td>
          ))}
        </tr>
        {carrier?.box && (
          <tr>
            <td>{carrier.name}</td>
            {within(left, top, across, down).map((one, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: four columns that stay
              <td key={at}>{one}</td>
            ))}
          </tr>
        )}
        <tr>
          <td>{words.aspect}</td>
          <td>{(width / (height || 1)).toFixed(3)}</td>
        </tr>
      </tbody>
    </table>
  );
}
