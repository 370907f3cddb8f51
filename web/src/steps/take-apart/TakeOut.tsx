import { Button, Checkbox, NativeSelect, NumberInput, SegmentedControl, TextInput } from '@mantine/core';
import { useEffect, useRef } from 'react';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import type { How } from './gestures';
import { Split } from './Split';
import { ToolSettings, Tools } from './Tools';
import type { Behind } from './useBehind';
import type { Taking } from './useTaking';
import { takeOut as words } from './words';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

const HOWS = [
  { value: 'instead', label: words.new },
  { value: 'add', label: words.add },
  { value: 'subtract', label: words.subtract },
  { value: 'intersect', label: words.intersect },
];
const BEHINDS: readonly { value: Behind; label: string }[] = [
  { value: 'flat', label: words.nearestColoursFlatArt },
  { value: 'painted', label: words.continuedColoursPaintedArt },
  { value: 'colour', label: words.oneColour },
  { value: 'empty', label: words.nothing },
];
const EDGES = [
  ['grow', words.grow],
  ['smooth', words.smooth],
  ['soft', words.softEdge],
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
          aria-label={words.selection}
          data={HOWS}
          value={taking.how}
          onChange={(how) => taking.setHow(how as How)}
        />
      )}
      <SelectionState taking={taking} />
      <Taken taking={taking} canEdit={canEdit} />
      {taking.several.length > 1 && canEdit && (
        <div className={classes.line}>
          <span>{words.takenOut(taking.several.length)}</span>
          <Button size="compact-xs" onClick={() => onNames(taking.several)}>
            {words.nameThem}
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
  const behind = BEHINDS.find(({ value }) => value === taking.behind)
    ?.label.toLowerCase()
    .replace(/ \(.*/, '');
  return (
    <details className={classes.more}>
      <summary>{words.edgeAndFillGrowPx(grow, soft, behind)}</summary>
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
          label={words.fillBehind}
          data={[...BEHINDS]}
          value={taking.behind}
          onChange={(event) => taking.setBehind(event.currentTarget.value as Behind)}
        />
        {taking.behind === 'colour' && (
          <ColourField label={words.colour} value={taking.colour} onChange={taking.setColour} />
        )}
      </div>
    </details>
  );
}

/** In words, how much is selected, and which part lies in front of it under the pointer. */
function SelectionState({ taking }: Pick<Props, 'taking'>) {
  const { from, chosen, pieces, inFront } = taking;
  return (
    <p role="status" className={classes.state} aria-busy={taking.isComputing}>
      {taking.isChoosing && words.workingClearTheSelection}
      {chosen && !pieces
        ? words.pxSelectedOf(chosen.pixels, share(chosen.pixels, chosen.of), from?.name ?? words.aPart)
        : !pieces && words.noSelectionYet}
      {chosen && from && from.frames.length > 1 && words.selectedInEach(from.frames.length)}
      {inFront && words.liesInFrontHere(inFront)}
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
          label={words.partName}
          placeholder={words.partName}
          maxLength={200}
          value={taking.name}
          onChange={(event) => taking.setName(event.currentTarget.value)}
          onKeyDown={onKeyDown}
        />
        <Button type="submit" size="xs" disabled={!canEdit || !chosen}>
          {words.takeOut}
        </Button>
        <Button size="xs" variant="default" disabled={!canEdit || !chosen} onClick={() => takeOut(true)}>
          {words.copyOut}
        </Button>
      </form>
      <div className={classes.row}>
        <Button size="compact-xs" variant="default" disabled={gestures.length === 0} onClick={taking.dropLast}>
          {words.removeLastMark}
        </Button>
        <Button size="compact-xs" variant="default" disabled={gestures.length === 0} onClick={taking.clear}>
          {words.clearSelection}
        </Button>
      </div>
    </>
  );
}

/** How far taking apart is. */
function Remainder({ taking }: Pick<Props, 'taking'>) {
  const { from, remainder, parts } = taking;
  if (!from) return null;
  const left = remainder.share === null ? '' : words.leftInOfThePicture(from.name, percent(remainder.share));
  return (
    <div className={classes.line}>
      <span data-testid="remainder" data-arrivals>{`${words.partCount(parts.length)}.${left}`}</span>
      <Checkbox
        size="xs"
        label={words.hatch}
        aria-label={words.hatchTheRemainderOf(from.name)}
        checked={remainder.isHatched}
        onChange={(event) => remainder.setHatched(event.currentTarget.checked)}
      />
    </div>
  );
}

const percent = (part: number) => (part > 0 && part < 0.01 ? words.lessThan1 : `${Math.round(part * 100)} %`);
const share = (pixels: number, of: number) => percent(pixels / Math.max(of, 1));
