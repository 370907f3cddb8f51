import { Button, Checkbox, NativeSelect, NumberInput, Switch, TextInput } from '@mantine/core';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { Link } from 'react-router';
import { CAMERA, GROUND, type Property, type Stage, type Value } from '../../api/motion';
import { pictureAddress, type Rehearsal } from '../../api/rehearsals';
import { curveThrough } from '../../rules/motion';
import { ColourField } from '../../ui/ColourField';
import { FilmPanel } from './FilmPanel';
import { type MemberSet, nameOf } from './figure';
import { MotionShelf } from './MotionShelf';
import classes from './Move.module.css';
import type { MovingParts } from './useMoving';
import { movePanel as words } from './words';

interface Props {
  rehearsal: Rehearsal;
  moving: MovingParts;
  canEdit: boolean;
}

interface PanelProps extends Props {
  /** Open the package once more, as it is read now. */
  onOpenAgain: () => void;
}

/** The pose of what is chosen, the members of sets, and how the motion is played. */
export function MovePanel({ rehearsal, moving, canEdit, onOpenAgain }: PanelProps) {
  const { figure, motion, error } = moving;
  // What the fields show is that of the time at which it stands still.
  useSyncExternalStore(moving.player.subscribe, moving.player.now);
  if (!figure) return null;
  if (figure.parts.every((part) => part.picture === null)) {
    return (
      <>
        <p className={classes.hint}>{words.thisPackageWasOpened}</p>
        {canEdit && (
          <Button size="compact-sm" onClick={onOpenAgain}>
            {words.openAgain}
          </Button>
        )}
      </>
    );
  }
  return (
    <>
      {error && (
        <p role="alert" className={classes.problem}>
          {error}
        </p>
      )}
      <Switch
        size="sm"
        my="sm"
        label={words.writeKeys}
        description={words.onEachChangeSets}
        checked={moving.writesKeys}
        disabled={!canEdit}
        onChange={(event) => moving.setWritesKeys(event.currentTarget.checked)}
      />
      <NativeSelect
        size="xs"
        label={words.part}
        data={[
          { value: '', label: words.none },
          ...[...figure.parts].reverse().map((part) => ({ value: part.id, label: part.name })),
        ]}
        value={moving.chosen.at(-1) ?? ''}
        onChange={(event) => moving.setChosen(event.currentTarget.value ? [event.currentTarget.value] : [])}
        mb="sm"
      />
      <PoseFields moving={moving} canEdit={canEdit} />
      <PathFields key={moving.chosen.join()} moving={moving} canEdit={canEdit} />
      {figure.sets.map((set) => (
        <SetRow key={set.path} rehearsal={rehearsal} set={set} moving={moving} canEdit={canEdit} />
      ))}
      {rehearsal.result?.distance != null && (
        <CameraFields moving={moving} canEdit={canEdit} travel={rehearsal.result.travel ?? 0} />
      )}
      <StageFields moving={moving} canEdit={canEdit} />
      <FilmPanel key={rehearsal.id} rehearsal={rehearsal} canEdit={canEdit} />
      <MotionShelf key={`shelf ${rehearsal.id}`} rehearsal={rehearsal.id} moving={moving} canEdit={canEdit} />
      {motion && motion.lost.length > 0 && (
        <p className={classes.problem}>
          {words.theMotionAlsoMoves(motion.lost.length, motion.lost.slice(0, 5).join(', '))}
          {motion.lost.length > 5 && words.andMore}.
        </p>
      )}
    </>
  );
}

function PoseFields({ moving, canEdit }: Pick<Props, 'moving' | 'canEdit'>) {
  const { figure, chosen } = moving;
  const id = chosen.at(-1);
  const part = id === undefined ? undefined : figure?.parts[figure.byId.get(id) ?? -1];
  const pose = id === undefined ? null : moving.poseAt(id);
  if (!part || !pose || id === undefined) {
    return <p className={classes.hint}>{words.dragAPart}</p>;
  }
  const set = (property: Property, value: Value) =>
    moving.pose(Object.fromEntries(chosen.map((one) => [one, { [property]: value }])));
  const [x, y] = pose.translate;
  const [wide, high] = pose.scale;
  const isOnPath = chosen.some((one) => moving.paths.has(one));
  return (
    <fieldset className={classes.pose} disabled={!canEdit}>
      <legend>{chosen.length === 1 ? nameOf(part) : words.partCount(chosen.length)}</legend>
      {!isOnPath && <Field label={words.turn} value={pose.rotate} onChange={(value) => set('rotate', value)} />}
      <Field
        label={words.opacity}
        value={pose.opacity * 100}
        min={0}
        max={100}
        onChange={(value) => set('opacity', value / 100)}
      />
      {!isOnPath && (
        <>
          <Field label={words.rightPx} value={x} onChange={(value) => set('translate', [value, y])} />
          <Field label={words.downPx} value={y} onChange={(value) => set('translate', [x, value])} />
        </>
      )}
      <Field label={words.width} value={wide * 100} onChange={(value) => set('scale', [value / 100, high])} />
      <Field label={words.height} value={high * 100} onChange={(value) => set('scale', [wide, value / 100])} />
      {isOnPath && <p className={classes.hint}>{words.thePartFollowsItsPath}</p>}
      {part.pivot === null && (
        <p className={classes.hint}>
          {words.noPivotThePartTurns}
          <Link to="../put-in-order" relative="path">
            {words.setAPivotInPut}
          </Link>
          {words.thenHandOverAgain}
        </p>
      )}
      <div className={classes.buttons}>
        <Button
          size="compact-sm"
          variant="default"
          onClick={() => void moving.act({ do: 'reset', targets: [...chosen] })}
        >
          {words.reset}
        </Button>
        <Button
          size="compact-sm"
          variant="default"
          onClick={() =>
            void moving.act({
              do: 'mirror-pose',
              targets: [...chosen],
              at: moving.now(),
              writes_keys: moving.writesKeys,
            })
          }
        >
          {words.mirrorToTheOtherSide}
        </Button>
        <Button size="compact-sm" variant="default" onClick={() => void moving.act({ do: 'reset', targets: [] })}>
          {words.resetAll}
        </Button>
      </div>
    </fieldset>
  );
}

/** The path of the chosen part: drawn on the picture, or typed. */
function PathFields({ moving, canEdit }: Pick<Props, 'moving' | 'canEdit'>) {
  const { chosen, path, places, setPlaces, setPath } = moving;
  const [typed, setTyped] = useState(path?.data ?? '');
  useEffect(() => setTyped(path?.data ?? ''), [path?.data]);
  const [id] = chosen;
  if (chosen.length !== 1 || id === undefined) return null;
  const turns = path ? path.turns : 0;
  if (places) {
    return (
      <fieldset className={classes.pose}>
        <legend>{words.path}</legend>
        <p className={classes.hint}>{words.clickPointsOnThePicture}</p>
        <div className={classes.buttons}>
          <Button
            size="compact-sm"
            disabled={places.length < 2}
            onClick={() => {
              void setPath(id, { data: curveThrough(places), turns });
              setPlaces(null);
            }}
          >
            {words.toUsePath}
          </Button>
          <Button size="compact-sm" variant="default" onClick={() => setPlaces(null)}>
            {words.cancel}
          </Button>
        </div>
      </fieldset>
    );
  }
  return (
    <fieldset className={classes.pose} disabled={!canEdit}>
      <legend>{words.path}</legend>
      {path && (
        <>
          <TextInput
            size="xs"
            label={words.svgPathData}
            value={typed}
            className={classes.wide}
            onChange={(event) => setTyped(event.currentTarget.value)}
            onBlur={() => typed !== path.data && typed.trim() && void setPath(id, { data: typed, turns })}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
          <Checkbox
            size="xs"
            label={words.rotateAlongThePath}
            checked={path.turns !== null}
            onChange={(event) => void setPath(id, { data: path.data, turns: event.currentTarget.checked ? 0 : null })}
          />
        </>
      )}
      <div className={classes.buttons}>
        <Button size="compact-sm" variant="default" onClick={() => setPlaces([])}>
          {path ? words.redrawPath : words.drawPath}
        </Button>
        {path && (
          <Button size="compact-sm" variant="default" onClick={() => void setPath(id, null)}>
            {words.removePath}
          </Button>
        )}
      </div>
    </fieldset>
  );
}

/** Where the camera stands, and which planes end within the picture on its way. */
function CameraFields({ moving, canEdit, travel }: Pick<Props, 'moving' | 'canEdit'> & { travel: number }) {
  const { figure, motion, stage, player } = moving;
  const [x, y, z] = moving.cameraAt();
  const set = (value: [number, number, number]) => moving.pose({ [CAMERA]: { camera: value } });
  const runsOut = motion?.runs_out ?? [];
  return (
    <fieldset className={classes.pose} disabled={!canEdit}>
      <legend>{words.camera}</legend>
      <Field label={words.rightPx} value={x} onChange={(value) => set([value, y, z])} />
      <Field label={words.downPx} value={y} onChange={(value) => set([x, value, z])} />
      <Field label={words.nearerPx} value={z} onChange={(value) => set([x, y, value])} />
      {travel > 0 && (
        <Button
          size="compact-sm"
          variant="default"
          onClick={() =>
            void moving
              .act({ do: 'pose', values: { [CAMERA]: { camera: [-travel / 2, 0, 0] } }, at: 0, writes_keys: true })
              .then(() =>
                moving.act({
                  do: 'pose',
                  values: { [CAMERA]: { camera: [travel / 2, 0, 0] } },
                  at: stage.duration,
                  writes_keys: true,
                }),
              )
          }
        >
          {words.travelPx(travel)}
        </Button>
      )}
      {runsOut.length > 0 && (
        <div className={classes.problem}>
          {words.planesThatAreTooNarrow}
          <ul>
            {runsOut.slice(0, 8).map((one) => (
              <li key={`${one.part} ${one.side}`}>
                <button type="button" className={classes.link} onClick={() => player.seek(one.at)}>
                  {words.pxOnTheAtPicture(
                    figure ? nameOf(figure.parts[figure.byId.get(one.part) ?? -1]) : one.part,
                    one.pixels,
                    one.side,
                    one.picture,
                  )}
                </button>
              </li>
            ))}
          </ul>
          <Link to="../put-in-order" relative="path">
            {words.fixInPutInOrder}
          </Link>
        </div>
      )}
    </fieldset>
  );
}

function Field({
  label,
  value,
  onChange,
  ...limits
}: {
  label: string;
  value: number;
  min?: number;
  max?: number;
  onChange: (value: number) => void;
}) {
  return (
    <NumberInput
      size="xs"
      label={label}
      decimalScale={1}
      {...limits}
      // Typing says nothing yet; what is there when the field is left does.
      key={value}
      defaultValue={Math.round(value * 10) / 10}
      onBlur={(event) => {
        const said = Number.parseFloat(event.currentTarget.value);
        if (Number.isFinite(said) && Math.abs(said - value) >= 0.05) onChange(said);
      }}
      onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
    />
  );
}

/** The members of a set as small pictures; the first nine have keys while the set is the first. */
function SetRow({ rehearsal, set, moving, canEdit }: Props & { set: MemberSet }) {
  const { figure, momentOf, player } = moving;
  const at = figure?.sets.indexOf(set) ?? 0;
  const seen = momentOf?.(player.now().time).members[at] ?? set.rest;
  return (
    <fieldset className={classes.set} disabled={!canEdit}>
      <legend>{set.name}</legend>
      {set.members.map(({ name, picture }, member) => (
        <button
          key={name}
          type="button"
          aria-pressed={seen === member}
          aria-keyshortcuts={at === 0 && member < 9 ? String(member + 1) : undefined}
          title={name}
          onClick={() => moving.pose({ [set.path]: { shown: name } })}
        >
          {picture && <img src={pictureAddress(rehearsal, picture)} alt="" />}
          <span>{at === 0 && member < 9 ? `${member + 1} ${name}` : name}</span>
        </button>
      ))}
    </fieldset>
  );
}

const DIRECTIONS: readonly { value: Stage['direction']; label: string }[] = [
  { value: 'normal', label: words.forwards },
  { value: 'reverse', label: words.backwards },
  { value: 'alternate', label: words.backAndForth },
  { value: 'alternate-reverse', label: words.backAndForthFrom },
];

function StageFields({ moving, canEdit }: Pick<Props, 'moving' | 'canEdit'>) {
  const { stage, setStage } = moving;
  return (
    <fieldset className={classes.pose} disabled={!canEdit}>
      <legend>{words.playing}</legend>
      <Field
        label={words.lengthS}
        value={stage.duration}
        min={0.1}
        max={600}
        onChange={(duration) => setStage({ duration })}
      />
      <Field
        label={words.framesPerSecond}
        value={stage.rate}
        min={1}
        max={120}
        onChange={(rate) => setStage({ rate: Math.round(rate) })}
      />
      <NativeSelect
        size="xs"
        label={words.direction}
        data={[...DIRECTIONS]}
        value={stage.direction}
        onChange={(event) => setStage({ direction: event.currentTarget.value as Stage['direction'] })}
      />
      <NativeSelect
        size="xs"
        label={words.repeat}
        data={[
          { value: '', label: words.forever },
          ...[1, 2, 3, 5, 10].map((times) => ({ value: String(times), label: `${times} ×` })),
        ]}
        value={stage.iterations === null ? '' : String(stage.iterations)}
        onChange={(event) =>
          setStage({ iterations: event.currentTarget.value ? Number(event.currentTarget.value) : null })
        }
      />
      <Checkbox
        size="xs"
        label={words.plainBackgroundColour}
        checked={stage.ground !== null}
        onChange={(event) => setStage({ ground: event.currentTarget.checked ? '#dfe6e2' : null })}
      />
      {stage.ground !== null && (
        <ColourField
          label={words.background}
          value={stage.ground}
          onChange={(ground) =>
            moving.writesKeys
              ? moving.pose({ [GROUND]: { ground: ground.toLowerCase() } })
              : setStage({ ground: ground.toLowerCase() })
          }
        />
      )}
      <Checkbox
        size="xs"
        label={words.clipToTheCanvas}
        checked={moving.isClipped}
        onChange={(event) => moving.setClipped(event.currentTarget.checked)}
      />
    </fieldset>
  );
}
