import { Button, Checkbox, NumberInput } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import type { Act } from '../../ledger/useArrangement';
import { numbersOf } from '../../rules/tree';
import form from '../../ui/form.module.css';
import pages from '../../ui/pages.module.css';
import { useLongList } from '../../ui/useLongList';
import classes from './PutInOrder.module.css';
import type { Order } from './useOrder';
import { planes as words } from './words';

interface Props {
  view: Arrangement;
  order: Order | undefined;
  canvas: { width: number; height: number };
  chosen: ReadonlySet<string>;
  canEdit: boolean;
  act: Act;
  /** Let a part go on beyond the view as far as the camera sees. */
  widen: (row: string, by: Wider) => void;
  onChoose: (ids: readonly string[], current: string | null) => void;
}

const WIDTH = 320;
const HEIGHT = 150;
const MARGIN = 26;
/** So far from a plane, in units of the drawing, a press still takes hold of it. */
const NEAR = 6;
/** With more parts than these only those that are chosen have their numbers. */
const FEW = 24;

/** How far away each part stands, and whether it is wide enough for the way of the camera. */
export function Planes({ view, order, canvas, chosen, canEdit, act, widen, onChoose }: Props) {
  const [step, setStep] = useState(100);
  const [nearest, setNearest] = useState(0);
  const [byGroups, setByGroups] = useState(false);
  const parts = view.rows.filter((row) => row.kind === 'part' && row.box).reverse();
  const some = parts.filter((row) => chosen.has(row.id));
  const { distance, travel } = view.decisions;
  const covers = new Map(order?.covers.map((one) => [one.row, one]));
  const lackingOnes = (some.length > 0 ? some : parts).filter((row) => {
    const cover = covers.get(row.id);
    return !row.locked && row.frames.length === 1 && cover && Math.max(cover.left ?? 0, cover.right ?? 0) > 0;
  });
  return (
    <div className={pages.page}>
      <SideView
        view={view}
        parts={parts}
        canvas={canvas}
        chosen={chosen}
        canEdit={canEdit}
        act={act}
        onChoose={onChoose}
      />
      <p className={form.told}>{words.dragAPlaneOrType}</p>
      <div className={form.form}>
        <div className={form.row}>
          <Pixels label={words.step} value={step} onChange={setStep} />
          <Pixels label={words.nearestDepth} value={nearest} onChange={setNearest} />
        </div>
        <Checkbox
          size="xs"
          label={words.oneDepthForEachOutermost}
          checked={byGroups}
          onChange={(event) => setByGroups(event.currentTarget.checked)}
        />
        <div className={form.row}>
          <Button
            size="xs"
            disabled={!canEdit || parts.length === 0}
            onClick={() =>
              act({
                do: 'spread-depths',
                rows: (some.length > 1 ? some : parts).filter((row) => !row.locked).map((row) => row.id),
                step,
                nearest,
                by_groups: byGroups,
              })
            }
          >
            {some.length > 1 ? words.spreadSelectedParts(some.length) : words.spreadAllPartsEvenly}
          </Button>
        </div>
      </div>
      <div className={form.form}>
        <h3>{words.camera}</h3>
        <div className={form.row}>
          <Pixels
            label={words.cameraDistance}
            value={distance}
            min={1}
            onChange={(value) => canEdit && act({ do: 'decide', decisions: { distance: value } })}
          />
          <Pixels
            label={words.totalTravel}
            value={travel}
            min={0}
            onChange={(value) => canEdit && act({ do: 'decide', decisions: { travel: value } })}
          />
        </div>
      </div>
      {lackingOnes.length > 0 && canEdit && <Widening rows={lackingOnes} widen={widen} />}
      <Depths parts={parts} covers={covers} chosen={chosen} canEdit={canEdit} act={act} onChoose={onChoose} />
    </div>
  );
}

/** Parts that do not cover the way of the camera can go on beyond the view. */
function Widening({ rows, widen }: { rows: readonly Row[]; widen: Props['widen'] }) {
  return (
    <div className={form.form}>
      <p className={form.told}>
        {words.tooNarrowForTheCamera(rows.length === 1 ? words.is(rows[0]?.name) : words.partsAre(rows.length))}
      </p>
      <div className={form.row}>
        {WIDER.map(({ by, label, title }) => (
          <Button
            key={by}
            size="compact-sm"
            variant="default"
            title={title}
            onClick={() => {
              for (const row of rows) widen(row.id, by);
            }}
          >
            {label}
          </Button>
        ))}
      </div>
    </div>
  );
}

/** Pixels of a row of the table. */
const DEPTH_ROW = 31.84;

interface DepthsProps extends Pick<Props, 'chosen' | 'canEdit' | 'act' | 'onChoose'> {
  parts: readonly Row[];
  covers: ReadonlyMap<string, Order['covers'][number]>;
}

/** All parts with their depths, and what they lack at either side. */
function Depths({ parts, covers, chosen, canEdit, act, onChoose }: DepthsProps) {
  const body = useRef<HTMLTableSectionElement>(null);
  const { first, end, before, after } = useLongList(body, parts.length, DEPTH_ROW);
  return (
    <table className={classes.depths}>
      <thead>
        <tr>
          <th>{words.partFromTheFront}</th>
          <th>{words.depth}</th>
          <th>{words.missingLeft}</th>
          <th>{words.missingRight}</th>
        </tr>
      </thead>
      <tbody ref={body}>
        {before > 0 && <tr style={{ height: before }} />}
        {parts.slice(first, end).map((row) => {
          const cover = covers.get(row.id);
          return (
            <tr key={row.id} aria-selected={chosen.has(row.id)}>
              <td>
                <button type="button" className={classes.plain} onClick={() => onChoose([row.id], row.id)}>
                  {row.name}
                </button>
              </td>
              <td>
                <Depth row={row} canEdit={canEdit} act={act} />
              </td>
              <td>{lacking(cover?.left)}</td>
              <td>{lacking(cover?.right)}</td>
            </tr>
          );
        })}
        {after > 0 && <tr style={{ height: after }} />}
      </tbody>
    </table>
  );
}

export type Wider = 'mirror' | 'repeat' | 'enlarge';
const WIDER: readonly { by: Wider; label: string; title: string }[] = [
  { by: 'mirror', label: words.mirroring, title: words.theDrawnPixelsStayUnchanged },
  { by: 'repeat', label: words.repeating, title: words.theDrawnPixelsStayUnchanged },
  { by: 'enlarge', label: words.enlarging, title: words.scalesTheWholePlaneSo },
];

const lacking = (pixels: number | null | undefined) => (pixels == null ? '' : words.px(pixels));

function Pixels({
  label,
  value,
  min = -100_000,
  onChange,
}: {
  label: string;
  value: number;
  min?: number;
  onChange: (value: number) => void;
}) {
  const [typed, setTyped] = useState<number | string>(value);
  useEffect(() => setTyped(value), [value]);
  const keep = () => typeof typed === 'number' && typed !== value && onChange(typed);
  return (
    <NumberInput
      size="xs"
      label={label}
      suffix=" px"
      min={min}
      max={1_000_000}
      value={typed}
      onChange={setTyped}
      onBlur={keep}
      onKeyDown={(event) => event.key === 'Enter' && keep()}
    />
  );
}

/** A plain field: there may be hundreds of them. */
function Depth({ row, canEdit, act }: { row: Row; canEdit: boolean; act: Act }) {
  const [typed, setTyped] = useState(String(row.depth));
  useEffect(() => setTyped(String(row.depth)), [row.depth]);
  const set = (depth: number) => {
    if (Number.isFinite(depth) && depth !== row.depth) act({ do: 'set-depths', depths: { [row.id]: depth } });
    else setTyped(String(row.depth));
  };
  return (
    <span className={classes.depth}>
      <input
        inputMode="decimal"
        aria-label={words.depthOf(row.name)}
        disabled={!canEdit || row.locked}
        value={typed}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onBlur={() => set(typed.trim() === '' ? Number.NaN : Number(typed))}
        onKeyDown={(event) => {
          if (event.key === 'Enter') event.currentTarget.blur();
          if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return;
          event.preventDefault();
          set(row.depth + (event.key === 'ArrowUp' ? 1 : -1) * (event.shiftKey ? 10 : 1));
        }}
      />
      {words.pxUnit}
    </span>
  );
}

/** The scene from the side: the camera on the left, each part a line at its depth, as high as it is. */
function SideView({
  view,
  parts,
  canvas,
  chosen,
  canEdit,
  act,
  onChoose,
}: Omit<Props, 'order' | 'widen'> & { parts: readonly Row[] }) {
  const surface = useRef<SVGSVGElement>(null);
  const [dragged, setDragged] = useState<{ id: string; depth: number } | null>(null);
  const numbers = numbersOf(view.rows);
  const depthOf = (row: Row) => (dragged?.id === row.id ? dragged.depth : row.depth);
  const depths = parts.map((row) => row.depth);
  const [least, most] = [Math.min(0, ...depths), Math.max(100, ...depths)];
  const span = Math.max(most - least, 1) * 1.15;
  const x = (depth: number) => MARGIN + 44 + ((depth - least) / span) * (WIDTH - 2 * MARGIN - 44);
  const y = (at: number) => 10 + (at / canvas.height) * (HEIGHT - 40);
  const depthAt = (clientX: number) => {
    const frame = surface.current?.getBoundingClientRect();
    if (!frame) return 0;
    const at = ((clientX - frame.left) / frame.width) * WIDTH;
    return Math.round(least + ((at - MARGIN - 44) / (WIDTH - 2 * MARGIN - 44)) * span);
  };
  const middle = y(canvas.height / 2);
  const placeOf = (row: Row) => {
    const [, top = 0, , height = 0] = row.box ?? [];
    return { at: x(depthOf(row)), from: y(top), to: y(top + height) };
  };
  /** The front-most plane near the pointer. */
  const under = (event: React.PointerEvent): Row | undefined => {
    const frame = surface.current?.getBoundingClientRect();
    if (!frame) return undefined;
    const [px, py] = [
      ((event.clientX - frame.left) / frame.width) * WIDTH,
      ((event.clientY - frame.top) / frame.height) * HEIGHT,
    ];
    return parts.find((row) => {
      const { at, from, to } = placeOf(row);
      return Math.abs(px - at) <= NEAR && py >= from - NEAR && py <= to + NEAR;
    });
  };
  const hold = (event: React.PointerEvent) => {
    const row = under(event);
    if (!row) return;
    onChoose([row.id], row.id);
    if (!canEdit || row.locked) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setDragged({ id: row.id, depth: row.depth });
  };
  const drop = () => {
    const row = parts.find(({ id }) => id === dragged?.id);
    // A press that did not move chooses, and changes nothing.
    if (row && dragged && dragged.depth !== row.depth) act({ do: 'set-depths', depths: { [row.id]: dragged.depth } });
    setDragged(null);
  };
  // One path for all planes that are not chosen: there may be a thousand.
  const lines = parts.filter((row) => !chosen.has(row.id)).map(placeOf);
  return (
    <svg
      ref={surface}
      className={classes.planes}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      aria-label={words.thePlanesFromTheSide}
      role="img"
      onPointerDown={hold}
      onPointerMove={(event) => dragged && setDragged({ id: dragged.id, depth: depthAt(event.clientX) })}
      onPointerUp={drop}
    >
      <path d={`M8 ${middle - 8}h14v16h-14zM22 ${middle - 3}l8 -5v16l-8 -5z`} fill="var(--ink-soft)" />
      <line x1={x(0)} x2={x(0)} y1={4} y2={HEIGHT - 24} stroke="var(--hairline-strong)" strokeDasharray="2 4" />
      <text x={x(0)} y={HEIGHT - 10} textAnchor="middle">
        0
      </text>
      <text x={x(most)} y={HEIGHT - 10} textAnchor="middle">
        {words.pxMost(Math.round(most))}
      </text>
      <path d={lines.map(({ at, from, to }) => `M${at} ${from}V${to}`).join('')} className={classes.plane} />
      {[...parts].reverse().map((row, index) => {
        const isChosen = chosen.has(row.id);
        if (!isChosen && parts.length > FEW) return null;
        const { at, from, to } = placeOf(row);
        return (
          <g key={row.id}>
            {isChosen && <line x1={at} x2={at} y1={from} y2={to} className={classes.plane} data-chosen />}
            <text x={at + 5} y={from + 9 + (index % 4) * 11}>
              {numbers.get(row.id)}
              {isChosen && words.pxName(row.name, Math.round(depthOf(row)))}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
