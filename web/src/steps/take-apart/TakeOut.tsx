import { Button, Checkbox, NativeSelect, NumberInput, SegmentedControl, TextInput } from '@mantine/core';
import { useEffect, useRef } from 'react';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import { plural } from '../../ui/units';
import type { How } from './gestures';
import { Split } from './Split';
import { ToolSettings, Tools } from './Tools';
import type { Behind } from './useBehind';
import type { Taking } from './useTaking';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

const HOWS = [
  { value: 'instead', label: 'New' },
  { value: 'add', label: 'Add' },
  { value: 'subtract', label: 'Subtract' },
  { value: 'intersect', label: 'Intersect' },
];
const BEHINDS: readonly { value: Behind; label: string }[] = [
  { value: 'flat', label: 'Nearest colours (flat art)' },
  { value: 'painted', label: 'Continued colours (painted art)' },
  { value: 'colour', label: 'One colour' },
  { value: 'empty', label: 'Nothing' },
];
const EDGES = [
  ['grow', 'Grow'],
  ['smooth', 'Smooth'],
  ['soft', 'Soft edge'],
] as const;

/** A part is taken out of another: what belongs to it, its name, its edge, and what lies behind. */
export function TakeOut({ taking, canEdit, onNames }: Props & { onNames: (rows: readonly string[]) => void }) {
  return (
    <div className={classes.form}>
      <Tools taking={taking} />
      <ToolSettings taking={taking} canEdit={canEdit} />
      {taking.tool !== 'pick' && (
        <SegmentedControl
          size="xs"
          fullWidth
          aria-label="Selection"
          data={HOWS}
          value={taking.how}
          onChange={(how) => taking.setHow(how as How)}
        />
      )}
      <SelectionState taking={taking} />
      <Taken taking={taking} canEdit={canEdit} />
      {taking.several.length > 1 && canEdit && (
        <div className={classes.line}>
          <span>{`${plural(taking.several.length, 'part')} taken out.`}</span>
          <Button size="compact-xs" onClick={() => onNames(taking.several)}>
            Name them
          </Button>
        </div>
      )}
      <Remainder taking={taking} />
      <EdgeAndBehind taking={taking} />
      <Split taking={taking} canEdit={canEdit} />
    </div>
  );
}

function EdgeAndBehind({ taking }: Pick<Props, 'taking'>) {
  const { grow, soft } = taking.edge;
  const behind = BEHINDS.find(({ value }) => value === taking.behind)?.label.toLowerCase();
  return (
    <details className={classes.more}>
      <summary>{`Edge and fill: grow ${grow} px, soft ${soft} px, ${behind}`}</summary>
      <div className={classes.row}>
        {EDGES.map(([key, label]) => (
          <NumberInput
            key={key}
            size="xs"
            label={label}
            suffix=" px"
            min={key === 'grow' ? -100 : 0}
            max={100}
            value={taking.edge[key]}
            onChange={(value) => taking.setEdge({ ...taking.edge, [key]: Number(value) || 0 })}
          />
        ))}
      </div>
      <div className={classes.row}>
        <NativeSelect
          size="xs"
          label="Fill behind"
          data={[...BEHINDS]}
          value={taking.behind}
          onChange={(event) => taking.setBehind(event.currentTarget.value as Behind)}
        />
        {taking.behind === 'colour' && <ColourField label="Colour" value={taking.colour} onChange={taking.setColour} />}
      </div>
    </details>
  );
}

/** In words, how much is selected, and which part lies in front of it under the pointer. */
function SelectionState({ taking }: Pick<Props, 'taking'>) {
  const { from, chosen, pieces, inFront } = taking;
  return (
    <p role="status" className={classes.state} aria-busy={taking.isComputing}>
      {taking.isChoosing && 'Working … Clear the selection to stop. '}
      {chosen && !pieces
        ? `${chosen.pixels.toLocaleString('en')} px selected, ${share(chosen.pixels, chosen.of)} of '${from?.name ?? 'part'}'.`
        : !pieces && 'No selection yet.'}
      {chosen && from && from.frames.length > 1 && ` Selected in each of the ${from.frames.length} frames.`}
      {inFront && ` '${inFront}' lies in front here.`}
    </p>
  );
}

/** What is selected becomes a part: its name has the focus after each mark, so that one clicks, types and presses Enter. */
function Taken({ taking, canEdit }: Props) {
  const { chosen, gestures, takeOut } = taking;
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (gestures.length > 0) field.current?.focus({ preventScroll: true });
  }, [gestures]);
  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.key === 'Escape') {
      taking.clear();
      field.current?.blur();
    } else if ((event.key === 'ArrowUp' || event.key === 'ArrowDown') && taking.tool === 'clicked') {
      taking.step(event.key === 'ArrowUp' ? 1 : -1);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <>
      <form
        className={classes.row}
        onSubmit={(event) => {
          event.preventDefault();
          takeOut(false);
        }}
      >
        <TextInput
          ref={field}
          size="xs"
          label="Part name"
          placeholder="Part name"
          maxLength={200}
          value={taking.name}
          onChange={(event) => taking.setName(event.currentTarget.value)}
          onKeyDown={onKeyDown}
        />
        <Button type="submit" size="xs" disabled={!canEdit || !chosen}>
          Take out
        </Button>
        <Button size="xs" variant="default" disabled={!canEdit || !chosen} onClick={() => takeOut(true)}>
          Copy out
        </Button>
      </form>
      <div className={classes.row}>
        <Button size="compact-xs" variant="default" disabled={gestures.length === 0} onClick={taking.dropLast}>
          Remove last mark
        </Button>
        <Button size="compact-xs" variant="default" disabled={gestures.length === 0} onClick={taking.clear}>
          Clear selection
        </Button>
      </div>
    </>
  );
}

/** How far taking apart is. */
function Remainder({ taking }: Pick<Props, 'taking'>) {
  const { from, remainder, parts } = taking;
  if (!from) return null;
  const left = remainder.share === null ? '' : ` Left in '${from.name}': ${percent(remainder.share)} of the picture.`;
  return (
    <div className={classes.line}>
      <span data-testid="remainder">{`${plural(parts.length, 'part')}.${left}`}</span>
      <Checkbox
        size="xs"
        label="Hatch"
        aria-label={`Hatch the remainder of '${from.name}'`}
        checked={remainder.isHatched}
        onChange={(event) => remainder.setHatched(event.currentTarget.checked)}
      />
    </div>
  );
}

const percent = (part: number) => (part > 0 && part < 0.01 ? 'less than 1 %' : `${Math.round(part * 100)} %`);
const share = (pixels: number, of: number) => percent(pixels / Math.max(of, 1));
