import { Button, Checkbox, SegmentedControl } from '@mantine/core';
import { useEffect, useState } from 'react';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import { plural } from '../../ui/units';
import { BrushNumbers } from './BrushNumbers';
import type { Taking } from './useTaking';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

/** The edge at which a part was taken out, and its colour. */
export function EdgeAndColour({ taking, canEdit }: Props) {
  const { changing, from } = taking;
  const { setWork } = taking;
  const [colour, setColour] = useState('#2f6f8f');
  const [isShaded, setShaded] = useState(true);
  const [top, setTop] = useState('#24365e');
  const [bottom, setBottom] = useState('#e8d9b4');
  const [isFading, setFading] = useState(false);
  const { strokes } = changing;
  useEffect(() => setWork('touch-up'), [setWork]);
  return (
    <>
      <div className={classes.form}>
        <h3>Touch up the edge</h3>
        <p className={classes.told}>
          {`Paint to add art to ${from ? `'${from.name}'` : 'the part'}, or to give art back to the part it was taken from. Alt swaps the two. The picture stays unchanged.`}
        </p>
        <SegmentedControl
          size="xs"
          fullWidth
          aria-label="Brush mode"
          data={[
            { value: 'takes', label: 'Add to part' },
            { value: 'gives', label: 'Give back' },
          ]}
          value={changing.gives ? 'gives' : 'takes'}
          onChange={(value) => changing.setGives(value === 'gives')}
        />
        <BrushNumbers changing={changing} withHardness />
        <div className={classes.row}>
          <Button size="xs" disabled={!canEdit || strokes.length === 0} onClick={changing.touchUp}>
            {strokes.length === 0 ? 'Apply' : `Apply, ${plural(strokes.length, 'stroke')}`}
          </Button>
          <Button size="compact-sm" variant="subtle" disabled={strokes.length === 0} onClick={changing.dropLast}>
            Remove last stroke
          </Button>
        </div>
      </div>
      <div className={classes.form}>
        <h3>Colour of the part</h3>
        <div className={classes.row}>
          <ColourField label="Colour" value={colour} onChange={setColour} />
          <Button
            size="xs"
            variant="default"
            disabled={!canEdit || !from}
            onClick={() => changing.dye(colour, isShaded)}
          >
            {isShaded ? 'Recolour' : 'Fill'}
          </Button>
        </div>
        <Checkbox
          size="xs"
          label="Keep shading"
          checked={isShaded}
          onChange={(event) => setShaded(event.currentTarget.checked)}
        />
      </div>
      <div className={classes.form}>
        <h3>Backdrop</h3>
        <p className={classes.told}>A plain part, as large as the canvas, behind everything.</p>
        <div className={classes.row}>
          <ColourField
            label={isFading ? 'Colour at the top' : 'Colour of the backdrop'}
            value={top}
            onChange={setTop}
          />
          {isFading && <ColourField label="Colour at the bottom" value={bottom} onChange={setBottom} />}
          <Button
            size="xs"
            variant="default"
            disabled={!canEdit}
            onClick={() => changing.putBackdrop(isFading ? [top, bottom] : [top])}
          >
            Add backdrop
          </Button>
        </div>
        <Checkbox
          size="xs"
          label="Gradient"
          checked={isFading}
          onChange={(event) => setFading(event.currentTarget.checked)}
        />
      </div>
    </>
  );
}
