import { Button, Checkbox, NativeSelect, NumberInput, Slider } from '@mantine/core';
import { useState } from 'react';
import { type LooseImage, pictureAddress, type Rehearsal } from '../../api/rehearsals';
import classes from './LiningUp.module.css';
import { certaintyOf, type LiningUp } from './useLiningUp';
import { liningUpPanel as words } from './words';

const SURE = 90;
const TURNS = [words.none, '90° clockwise', '180°', '90° anticlockwise'].map((label, value) => ({
  value: String(value),
  label,
}));

interface Props {
  rehearsal: Rehearsal;
  lining: LiningUp;
  canEdit: boolean;
}

/** Loose images on the picture of the whole: where each seems to lie, and where it was put. */
export function LiningUpPanel({ rehearsal, lining, canEdit }: Props) {
  const { images, places } = lining;
  return (
    <section className={classes.lining} aria-label={words.positions}>
      <h3>
        {words.positions}
        <span role="status" className={classes.saved}>
          {lining.saved}
        </span>
      </h3>
      <p>{words.ofArePlacedThePercentage(places.length, images.length)}</p>
      {canEdit && <Accepting lining={lining} />}
      <FaintOriginal lining={lining} />
      <ul className={classes.images}>
        {images.map((image) => (
          <Row key={image.file} image={image} rehearsal={rehearsal} lining={lining} canEdit={canEdit} />
        ))}
      </ul>
      {canEdit && <Selected lining={lining} />}
      <Package rehearsal={rehearsal} lining={lining} canEdit={canEdit} />
    </section>
  );
}

function Accepting({ lining }: { lining: LiningUp }) {
  const [least, setLeast] = useState(SURE);
  return (
    <div className={classes.tools}>
      <NumberInput
        size="xs"
        label={words.certainty}
        suffix=" %"
        min={0}
        max={100}
        value={least}
        onChange={(value) => setLeast(Number(value) || 0)}
        className={classes.least}
      />
      <Button size="xs" variant="default" onClick={() => lining.acceptAll(least / 100)}>
        {words.placeAllFrom(least)}
      </Button>
      <Button size="xs" variant="default" disabled={lining.saved !== 'Saved'} onClick={lining.proposeAgain}>
        {words.proposeAgain}
      </Button>
      <Button size="xs" variant="default" disabled={!lining.canTakeBack} onClick={lining.takeBack}>
        {words.undo}
      </Button>
    </div>
  );
}

/** How much of the original is seen on the picture, and whether it lies over the images. */
function FaintOriginal({ lining }: { lining: LiningUp }) {
  return (
    <div className={classes.faint}>
      <span>{words.original}</span>
      <Slider
        size="sm"
        value={Math.round(lining.faint * 100)}
        onChange={(value) => lining.setFaint(value / 100)}
        label={(value) => `${value} %`}
        thumbLabel={words.opacityOfTheOriginal}
      />
      <Checkbox
        size="xs"
        label={words.onTop}
        checked={lining.isOver}
        onChange={(event) => lining.setIsOver(event.currentTarget.checked)}
      />
    </div>
  );
}

/** What was lined up, as a package with a manifest. */
function Package({ rehearsal, lining, canEdit }: Props) {
  const isMade = 'package.zip' in rehearsal.pictures && lining.saved === 'Saved';
  return (
    <div className={classes.tools}>
      {isMade ? (
        <Button component="a" download href={`/api/rehearsals/${rehearsal.id}/package`} size="xs" variant="default">
          {words.downloadThePackage}
        </Button>
      ) : (
        <Button
          size="xs"
          variant="default"
          disabled={!canEdit || lining.places.length === 0 || lining.saved !== 'Saved'}
          onClick={lining.makePackage}
        >
          {words.makeAPackage}
        </Button>
      )}
      <span className={classes.hint}>{words.thePlacedImages}</span>
    </div>
  );
}

const nameOf = (file: string) => (file.split('/').at(-1) ?? file).replace(/\.[^.]*$/, '');

function Row({ image, rehearsal, lining, canEdit }: Props & { image: LooseImage }) {
  const { file } = image;
  const isPlaced = lining.places.some((laid) => laid.file === file);
  return (
    <li data-selected={lining.selected === file || undefined}>
      <Checkbox
        size="xs"
        aria-label={words.place(nameOf(file))}
        checked={isPlaced}
        disabled={!canEdit}
        onChange={(event) => (event.currentTarget.checked ? lining.put(file) : lining.takeOff(file))}
      />
      <button
        type="button"
        className={classes.image}
        aria-pressed={lining.selected === file}
        title={file}
        onClick={() => lining.setSelected(file)}
        onKeyDown={(event) => moveByKey(event, lining)}
      >
        <img src={pictureAddress(rehearsal, image.picture)} alt="" loading="lazy" />
        <span>{nameOf(file)}</span>
      </button>
      <span className={classes.certainty}>{certaintyOf(lining.proposals.get(file))}</span>
    </li>
  );
}

/** The selected image by its numbers. */
function Selected({ lining }: { lining: LiningUp }) {
  const laid = lining.places.find((one) => one.file === lining.selected);
  if (!laid) return <p className={classes.hint}>{words.selectAPlacedImageHere}</p>;
  const change = (what: Parameters<LiningUp['change']>[1]) => lining.change(laid.file, what);
  return (
    <fieldset className={classes.selected}>
      <legend>{nameOf(laid.file)}</legend>
      <NumberInput
        size="xs"
        label={words.xPx}
        value={laid.x}
        onChange={(x) => change({ x: Math.round(Number(x) || 0) })}
      />
      <NumberInput
        size="xs"
        label={words.yPx}
        value={laid.y}
        onChange={(y) => change({ y: Math.round(Number(y) || 0) })}
      />
      <NumberInput
        size="xs"
        label={words.scale}
        min={0.02}
        max={64}
        step={0.5}
        decimalScale={3}
        value={laid.scale}
        onChange={(scale) => Number(scale) >= 0.02 && change({ scale: Number(scale) })}
      />
      <NativeSelect
        size="xs"
        label={words.rotation}
        data={TURNS}
        value={String(laid.quarters)}
        onChange={(event) => change({ quarters: Number(event.currentTarget.value) })}
      />
      <Checkbox
        size="xs"
        label={words.mirrored}
        checked={laid.mirrored}
        onChange={(event) => change({ mirrored: event.currentTarget.checked })}
      />
      <Button.Group className={classes.order}>
        <Button size="compact-sm" variant="default" onClick={() => lining.order(laid.file, 1)}>
          {words.forward}
        </Button>
        <Button size="compact-sm" variant="default" onClick={() => lining.order(laid.file, -1)}>
          {words.backward}
        </Button>
      </Button.Group>
      <p className={classes.hint}>{words.dragTheImageOrUse}</p>
    </fieldset>
  );
}

const STEPS: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Move the selected image by an arrow key. */
export function moveByKey(event: React.KeyboardEvent, { selected, move }: LiningUp): void {
  const step = STEPS[event.key];
  if (!step || selected === null) return;
  event.preventDefault();
  const times = event.shiftKey ? 10 : 1;
  move(selected, step[0] * times, step[1] * times);
}
