import { Button, Checkbox, NativeSelect, NumberInput } from '@mantine/core';
import { useState } from 'react';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import { count, plural } from '../../ui/units';
import { BrushNumbers } from './BrushNumbers';
import type { Fill } from './useChanging';
import type { Taking } from './useTaking';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

const FILLS: readonly { value: Fill; label: string }[] = [
  { value: 'onward', label: 'Colours and lines (flat art)' },
  { value: 'flat', label: 'Colours without lines' },
  { value: 'painted', label: 'Continued colours (painted art)' },
  { value: 'colour', label: 'One colour' },
];

/** Nothing opens when a limb moves, if what lies behind it runs on beneath. */
export function Beneath({ taking, canEdit }: Props) {
  const { changing, from } = taking;
  const name = from?.name ?? 'The part';
  return (
    <>
      <div className={classes.form}>
        <p className={classes.told}>
          {from ? `'${name}'` : name} can be extended beneath the parts in front. Only covered places are filled, so the
          picture stays unchanged.
        </p>
        <div className={classes.row}>
          <NativeSelect
            size="xs"
            label="Fill with"
            data={[...FILLS]}
            value={changing.fill}
            onChange={(event) => changing.setFill(event.currentTarget.value as Fill)}
          />
          <NativeSelect
            size="xs"
            label="Or mirror from"
            data={[
              { value: '', label: 'None' },
              ...taking.parts
                .filter((row) => row.id !== from?.id)
                .map((row) => ({ value: row.id, label: row.name }))
                .reverse(),
            ]}
            value={changing.mirrorSource}
            onChange={(event) => changing.setMirrorSource(event.currentTarget.value)}
          />
          {changing.fill === 'colour' && (
            <ColourField label="Colour" value={changing.colour} onChange={changing.setColour} />
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
      <h3>Along the whole border</h3>
      <div className={classes.row}>
        <NumberInput
          size="xs"
          label="Grow by"
          suffix=" px"
          min={1}
          max={500}
          allowDecimal={false}
          value={by}
          onChange={(value) => setBy(Number(value) || 1)}
        />
        <Button size="xs" variant="default" disabled={!canEdit || !from} onClick={() => changing.growUnder(by)}>
          Grow under
        </Button>
      </div>
    </div>
  );
}

const WORKS = [
  ['paint-under', 'Paint under'],
  ['round-off', 'Round off an end'],
] as const;

function AtOnePlace({ taking, canEdit }: Props) {
  const { work } = taking;
  return (
    <div className={classes.form}>
      <h3>In one place</h3>
      <div className={classes.tools} role="radiogroup" aria-label="Tool">
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
      <p className={classes.told}>
        Click where the part turns. The circle is as wide as the part there; its centre becomes the pivot if none is
        set.
      </p>
      <div className={classes.row}>
        <NumberInput
          size="xs"
          label="Radius"
          suffix=" px"
          min={1}
          max={2000}
          decimalScale={1}
          disabled={!joint}
          value={joint?.radius ?? ''}
          onChange={(radius) => joint && changing.setJoint({ ...joint, radius: Number(radius) || 1 })}
        />
        <Button size="xs" variant="default" disabled={!canEdit || !joint} onClick={changing.roundOff}>
          Round off
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
      <p className={classes.told}>Paint where the part continues. Alt erases.</p>
      <BrushNumbers changing={changing} withHardness={false} />
      <div className={classes.row}>
        <Button size="xs" variant="default" disabled={!canEdit || strokes.length === 0} onClick={changing.paintUnder}>
          {strokes.length === 0 ? 'Fill' : `Fill, ${plural(strokes.length, 'stroke')}`}
        </Button>
        <Button size="compact-sm" variant="subtle" disabled={strokes.length === 0} onClick={changing.dropLast}>
          Remove last stroke
        </Button>
      </div>
    </>
  );
}

function FilledIn({ taking, canEdit }: Props) {
  const { changing, from } = taking;
  const { added } = changing;
  const name = from?.name ?? 'The part';
  return (
    <div className={classes.form}>
      <h3>Added pixels</h3>
      <Checkbox
        size="xs"
        label="Highlight on picture"
        checked={changing.isAddedSeen}
        onChange={(event) => changing.setAddedSeen(event.currentTarget.checked)}
      />
      {added && (
        <p role="status">
          {added.pixels === 0
            ? `'${name}' has no added pixels.`
            : `'${name}' has ${count(added.pixels)} px that were added, not drawn.`}
        </p>
      )}
      <div className={classes.row}>
        <Button size="xs" variant="default" disabled={!canEdit || !from} onClick={changing.removeAdded}>
          Remove added pixels
        </Button>
      </div>
    </div>
  );
}
