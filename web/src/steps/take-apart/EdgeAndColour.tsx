import { Button, Checkbox, SegmentedControl } from '@mantine/core';
import { useEffect, useState } from 'react';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import { BrushNumbers } from './BrushNumbers';
import type { Taking } from './useTaking';
import { edgeAndColour as words } from './words';

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
        <h3>{words.touchUpTheEdge}</h3>
        <p className={classes.told}>{words.paintToAddArt(from ? `'${from.name}'` : words.thePart)}</p>
        <SegmentedControl
          size="xs"
          fullWidth
          aria-label={words.brushMode}
          data={[
            { value: 'takes', label: words.addToPart },
            { value: 'gives', label: words.giveBack },
          ]}
          value={changing.gives ? 'gives' : 'takes'}
          onChange={(value) => changing.setGives(value === 'gives')}
        />
        <BrushNumbers changing={changing} withHardness />
        <div className={classes.row}>
          <Button size="xs" disabled={!canEdit || strokes.length === 0} onClick={changing.touchUp}>
            {strokes.length === 0 ? words.apply : words.applyStrokes(strokes.length)}
          </Button>
          <Button size="compact-sm" variant="subtle" disabled={strokes.length === 0} onClick={changing.dropLast}>
            {words.removeLastStroke}
          </Button>
        </div>
      </div>
      <div className={classes.form}>
        <h3>{words.colourOfThePart}</h3>
        <div className={classes.row}>
          <ColourField label={words.colour} value={colour} onChange={setColour} />
          <Button
            size="xs"
            variant="default"
            disabled={!canEdit || !from}
            onClick={() => changing.dye(colour, isShaded)}
          >
            {isShaded ? words.recolour : words.fill}
          </Button>
        </div>
        <Checkbox
          size="xs"
          label={words.keepShading}
          checked={isShaded}
          onChange={(event) => setShaded(event.currentTarget.checked)}
        />
      </div>
      <div className={classes.form}>
        <h3>{words.backdrop}</h3>
        <p className={classes.told}>{words.aPlainPartAsLarge}</p>
        <div className={classes.row}>
          <ColourField
            label={isFading ? words.colourAtTheTop : words.colourOfTheBackdrop}
            value={top}
            onChange={setTop}
          />
          {isFading && <ColourField label={words.colourAtTheBottom} value={bottom} onChange={setBottom} />}
          <Button
            size="xs"
            variant="default"
            disabled={!canEdit}
            onClick={() => changing.putBackdrop(isFading ? [top, bottom] : [top])}
          >
            {words.addBackdrop}
          </Button>
        </div>
        <Checkbox
          size="xs"
          label={words.gradient}
          checked={isFading}
          onChange={(event) => setFading(event.currentTarget.checked)}
        />
      </div>
    </>
  );
}
