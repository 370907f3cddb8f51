import { Button, Checkbox, NativeSelect, NumberInput } from '@mantine/core';
import { useState } from 'react';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import { plural } from '../../ui/units';
import { BrushNumbers } from './BrushNumbers';
import type { Fill } from './useChanging';
import type { Taking } from './useTaking';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

const FILLS: readonly { value: Fill; label: string }[] = [
  { value: 'onward', label: 'its colours and lines, for flat art' },
  { value: 'flat', label: 'its colours without the lines' },
  { value: 'painted', label: 'colours that run on, for painted art' },
  { value: 'colour', label: 'one colour' },
];

/** Nothing opens when a limb moves, if what lies behind it runs on beneath. */
export function Beneath({ taking, canEdit }: Props) {
  const { changing, from } = taking;
  const name = from?.name ?? 'The part';
  return (
    <>
      <div className={classes.form}>
        <p className={classes.told}>
          {name} goes on beneath what lies over it. Only places that opaque parts cover are reached, so what is seen
          stays as it is.
        </p>
        <div className={classes.row}>
          <NativeSelect
            size="xs"
            label="It goes on with"
            data={[...FILLS]}
            value={changing.fill}
            onChange={(event) => changing.setFill(event.currentTarget.value as Fill)}
          />
          <NativeSelect
            size="xs"
            label="Or mirrored from a twin"
            data={[
              { value: '', label: 'none' },
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
      <h3>All along its border</h3>
      <div className={classes.row}>
        <NumberInput
          size="xs"
          label="By up to"
          suffix=" px"
          min={1}
          max={500}
          allowDecimal={false}
          value={by}
          onChange={(value) => setBy(Number(value) || 1)}
        />
        <Button size="xs" variant="default" disabled={!canEdit || !from} onClick={() => changing.growUnder(by)}>
          Grow it under
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
      <h3>At one place</h3>
      <div className={classes.tools} role="radiogroup" aria-label="What the pointer does">
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
        Click on the part where it turns. The circle is as wide as the part is there; its middle becomes the pivot if
        there is none.
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
          Round it off
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
      <p className={classes.told}>Paint where the part goes on; with Alt, paint less of it.</p>
      <BrushNumbers changing={changing} withHardness={false} />
      <div className={classes.row}>
        <Button size="xs" variant="default" disabled={!canEdit || strokes.length === 0} onClick={changing.paintUnder}>
          {strokes.length === 0 ? 'Let it go on here' : `Let it go on here, ${plural(strokes.length, 'stroke')}`}
        </Button>
        <Button size="compact-sm" variant="subtle" disabled={strokes.length === 0} onClick={changing.dropLast}>
          Drop the last stroke
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
      <h3>What was filled in</h3>
      <Checkbox
        size="xs"
        label="Mark it on the picture"
        checked={changing.isAddedSeen}
        onChange={(event) => changing.setAddedSeen(event.currentTarget.checked)}
      />
      {added && (
        <p role="status">
          {added.pixels === 0
            ? `Nothing was filled in of ${name}.`
            : `${added.pixels.toLocaleString('en')} px of ${name} were filled in; nobody drew them.`}
        </p>
      )}
      <div className={classes.row}>
        <Button size="xs" variant="default" disabled={!canEdit || !from} onClick={changing.removeAdded}>
          Remove what was filled in
        </Button>
      </div>
    </div>
  );
}
