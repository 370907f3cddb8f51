import { Button, Checkbox, NativeSelect, NumberInput } from '@mantine/core';
import { useState } from 'react';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import { BrushNumbers } from './BrushNumbers';
import type { Fill } from './useChanging';
import type { Taking } from './useTaking';
import { beneath as words } from './words';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

const FILLS: readonly { value: Fill; label: string }[] = [
  { value: 'onward', label: words.coloursAndLinesFlatArt },
  { value: 'flat', label: words.coloursWithoutLines },
  { value: 'painted', label: words.continuedColoursPaintedArt },
  { value: 'colour', label: words.oneColour },
];

/** Nothing opens when a limb moves, if what lies behind it runs on beneath. */
export function Beneath({ taking, canEdit }: Props) {
  const { changing, from } = taking;
  const name = from?.name ?? words.thePart;
  return (
    <>
      <div className={classes.form}>
        <p className={classes.told}>{words.canBeExtendedBeneath(from ? `'${name}'` : name)}</p>
        <div className={classes.row}>
          <NativeSelect
            size="xs"
            label={words.fillWith}
            data={[...FILLS]}
            value={changing.fill}
            onChange={(event) => changing.setFill(event.currentTarget.value as Fill)}
          />
          <NativeSelect
            size="xs"
            label={words.orMirrorFrom}
            data={[
              { value: '', label: words.none },
              ...taking.parts
                .filter((row) => row.id !== from?.id)
                .map((row) => ({ value: row.id, label: row.name }))
                .reverse(),
            ]}
            value={changing.mirrorSource}
            onChange={(event) => changing.setMirrorSource(event.currentTarget.value)}
          />
          {changing.fill === 'colour' && (
            <ColourField label={words.colour} value={changing.colour} onChange={changing.setColour} />
          )}
        </div>
      </div>
      <AlongBorder taking={taking} canEdit={canEdit} />
      <AtOnePlace taking={taking} canEdit={canEdit} />
      <FilledIn taking={taking} canEdit={canEdit} />
    </>
  );
}

/** It grows wherever a neighbour covers it. */
function AlongBorder({ taking, canEdit }: Props) {
  const { changing, from } = taking;
  const [by, setBy] = useState(12);
  return (
    <div className={classes.form}>
      <h3>{words.alongTheWholeBorder}</h3>
      <div className={classes.row}>
        <NumberInput
          size="xs"
          label={words.growBy}
          suffix=" px"
          min={1}
          max={500}
          allowDecimal={false}
          value={by}
          onChange={(value) => setBy(Number(value) || 1)}
        />
        <Button size="xs" variant="default" disabled={!canEdit || !from} onClick={() => changing.growUnder(by)}>
          {words.growUnder}
        </Button>
      </div>
    </div>
  );
}

const WORKS = [
  ['paint-under', words.paintUnder],
  ['round-off', words.roundOffAnEnd],
] as const;

function AtOnePlace({ taking, canEdit }: Props) {
  const { work } = taking;
  return (
    <div className={classes.form}>
      <h3>{words.inOnePlace}</h3>
      <div className={classes.tools} role="radiogroup" aria-label={words.tool}>
        {WORKS.map(([value, label]) => (
          <Button
            key={value}
            size="compact-sm"
            role="radio"
            aria-checked={work === value}
            variant={work === value ? 'filled' : 'default'}
            onClick={() => taking.setWork(value)}
          >
            {label}
          </Button>
        ))}
      </div>
      {work === 'round-off' ? (
        <RoundOff taking={taking} canEdit={canEdit} />
      ) : (
        <PaintUnder taking={taking} canEdit={canEdit} />
      )}
    </div>
  );
}

function RoundOff({ taking, canEdit }: Props) {
  const { changing } = taking;
  const { joint } = changing;
  return (
    <>
      <p className={classes.told}>{words.clickWhereThePartTurns}</p>
      <div className={classes.row}>
        <NumberInput
          size="xs"
          label={words.radius}
          suffix=" px"
          min={1}
          max={2000}
          decimalScale={1}
          disabled={!joint}
          value={joint?.radius ?? ''}
          onChange={(radius) => joint && changing.setJoint({ ...joint, radius: Number(radius) || 1 })}
        />
        <Button size="xs" variant="default" disabled={!canEdit || !joint} onClick={changing.roundOff}>
          {words.roundOff}
        </Button>
      </div>
    </>
  );
}

function PaintUnder({ taking, canEdit }: Props) {
  const { changing } = taking;
  const { strokes } = changing;
  return (
    <>
      <p className={classes.told}>{words.paintWhereThePartContinues}</p>
      <BrushNumbers changing={changing} withHardness={false} />
      <div className={classes.row}>
        <Button size="xs" variant="default" disabled={!canEdit || strokes.length === 0} onClick={changing.paintUnder}>
          {strokes.length === 0 ? words.fill : words.fillStrokes(strokes.length)}
        </Button>
        <Button size="compact-sm" variant="subtle" disabled={strokes.length === 0} onClick={changing.dropLast}>
          {words.removeLastStroke}
        </Button>
      </div>
    </>
  );
}

function FilledIn({ taking, canEdit }: Props) {
  const { changing, from } = taking;
  const { added } = changing;
  const name = from?.name ?? words.thePart;
  return (
    <div className={classes.form}>
      <h3>{words.addedPixels}</h3>
      <Checkbox
        size="xs"
        label={words.highlightOnPicture}
        checked={changing.isAddedSeen}
        onChange={(event) => changing.setAddedSeen(event.currentTarget.checked)}
      />
      {added && (
        <p role="status">
          {added.pixels === 0 ? words.hasNoAddedPixels(name) : words.hasPxThatWereAdded(name, added.pixels)}
        </p>
      )}
      <div className={classes.row}>
        <Button size="xs" variant="default" disabled={!canEdit || !from} onClick={changing.removeAdded}>
          {words.removeAddedPixels}
        </Button>
      </div>
    </div>
  );
}
