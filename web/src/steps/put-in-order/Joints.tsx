import { Button, Checkbox, NativeSelect, NumberInput, Slider } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import { type Command, placeOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import { carriedBy, carriedTree } from '../../rules/joints';
import { numbersOf } from '../../rules/tree';
import form from '../../ui/form.module.css';
import pages from '../../ui/pages.module.css';
import { rounded } from '../../ui/units';
import { useLongList } from '../../ui/useLongList';
import classes from './PutInOrder.module.css';
import { SwingCurve } from './SwingCurve';
import type { Joints as Work } from './useJoints';
import { joints as words } from './words';

interface Props {
  view: Arrangement;
  row: Row | undefined;
  chosen: ReadonlySet<string>;
  canEdit: boolean;
  joints: Work;
  act: Act;
  onChoose: (ids: readonly string[], current: string | null) => void;
}

const MOST = 180;

/** Who carries whom, what each part turns about, and what comes of it when it does. */
export function Joints({ view, row, chosen, canEdit, joints, act, onChoose }: Props) {
  const tree = carriedTree(view.rows);
  const nameOf = namesIn(view.rows);
  const off = !canEdit || !row || row.locked;
  return (
    <div className={pages.page}>
      <Proposing tree={tree} chosen={chosen} canEdit={canEdit} joints={joints} />
      <CarriedList
        tree={tree}
        numbers={numbersOf(view.rows)}
        nameOf={nameOf}
        row={row}
        chosen={chosen}
        canEdit={canEdit}
        act={act}
        onChoose={onChoose}
      />
      {!row && <p className={form.told}>{words.selectOnePartHere}</p>}
      {row && (
        <div className={form.form}>
          <Carrier view={view} tree={tree} nameOf={nameOf} row={row} off={off} joints={joints} act={act} />
          {joints.joint && <JointPlace row={row} off={off} joint={joints.joint} parent={joints.parent} act={act} />}
          {row.pivot ? <Turning row={row} joints={joints} /> : <p className={form.told}>{words.noPivotYetPressV}</p>}
          {joints.swingError && <p role="alert">{joints.swingError.message}</p>}
          {joints.swing && (
            <SwingFound
              swing={joints.swing}
              canEdit={canEdit}
              joints={joints}
              act={act}
              nameOf={(id) => view.rows.find((one) => one.id === id)?.name ?? ''}
            />
          )}
        </div>
      )}
    </div>
  );
}

type Tree = ReturnType<typeof carriedTree>;
type NameOf = (row: Row) => string;

/** Names of rows with the group that they lie in. */
function namesIn(rows: readonly Row[]): NameOf {
  const byId = new Map(rows.map((row) => [row.id, row]));
  return (row) => {
    const group = row.group === null ? undefined : byId.get(row.group);
    return group ? `${group.name} / ${row.name}` : row.name;
  };
}

/** Parts that could turn and do not: what carries all others needs no joint, and a ground is not carried. */
const withoutJoint = (tree: Tree): number =>
  tree.filter(
    ({ row, carries, level }) => row.box && row.role !== 'ground' && (level === 1 ? carries === 0 : row.pivot === null),
  ).length;

function Proposing({ tree, chosen, canEdit, joints }: Pick<Props, 'chosen' | 'canEdit' | 'joints'> & { tree: Tree }) {
  const without = withoutJoint(tree);
  return (
    <div className={form.form}>
      <div className={form.row}>
        <Button size="xs" disabled={!canEdit} onClick={() => joints.propose([])}>
          {words.proposeMissingJoints}
        </Button>
        <Button
          size="xs"
          variant="default"
          disabled={!canEdit || chosen.size === 0}
          title={words.copiesPivotsAndParents}
          onClick={() => joints.propose([...chosen], true)}
        >
          {words.mirrorToOtherSide}
        </Button>
        <Checkbox
          size="xs"
          my="auto"
          label={words.showAllJoints}
          checked={joints.areAllSeen}
          onChange={(event) => joints.setAllSeen(event.currentTarget.checked)}
        />
      </div>
      <p className={form.told} role="status">
        {joints.said || (without === 0 ? words.everyPartHasAParent : words.withoutAParent(without))}
      </p>
    </div>
  );
}

/** Pixels of a row of the list. */
const CARRIED_ROW = 28.8;

interface ListProps extends Pick<Props, 'row' | 'chosen' | 'canEdit' | 'act' | 'onChoose'> {
  tree: Tree;
  numbers: ReadonlyMap<string, number>;
  nameOf: NameOf;
}

/** All parts, each below what carries it; dragged onto another one, a part is carried by that. */
function CarriedList({ tree, numbers, nameOf, row, chosen, canEdit, act, onChoose }: ListProps) {
  const [over, setOver] = useState<string | null>(null);
  const list = useRef<HTMLUListElement>(null);
  const id = row?.id;
  const { first, end, before, after, reveal } = useLongList(list, tree.length, CARRIED_ROW);
  // A part that was picked on the picture is brought into view.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only another part scrolls
  useEffect(() => {
    if (!id) return;
    const shown = list.current?.querySelector(`[data-part-id="${CSS.escape(id)}"]`);
    if (shown) shown.scrollIntoView({ block: 'nearest' });
    else reveal(tree.findIndex(({ row: one }) => one.id === id));
  }, [id]);
  return (
    <ul ref={list} className={row ? classes.carriedShort : classes.carried} aria-label={words.parentsAndChildren}>
      {before > 0 && <li role="presentation" style={{ height: before }} />}
      {tree.slice(first, end).map(({ row: one, level, carries }) => (
        <li key={one.id}>
          <button
            type="button"
            draggable={canEdit && !one.locked}
            className={classes.carriedRow}
            data-part-id={one.id}
            data-over={over === one.id || undefined}
            aria-pressed={chosen.has(one.id)}
            style={{ paddingLeft: 8 + (level - 1) * 16 }}
            onClick={(event) =>
              onChoose(event.shiftKey || event.ctrlKey || event.metaKey ? [...chosen, one.id] : [one.id], one.id)
            }
            onDragStart={(event) => event.dataTransfer.setData('text/x-part', one.id)}
            onDragOver={(event) => {
              event.preventDefault();
              setOver(one.id);
            }}
            onDragLeave={() => setOver(null)}
            onDrop={(event) => {
              event.preventDefault();
              setOver(null);
              const moved = event.dataTransfer.getData('text/x-part');
              if (moved && moved !== one.id) act({ do: 'set-joints', parents: { [moved]: one.id } });
            }}
          >
            <span className={classes.number}>{numbers.get(one.id)}</span>
            <span className={classes.carriedName}>{nameOf(one)}</span>
            <span className={classes.quiet}>
              {carries > 0 && words.childChildrenCount(carries)}
              {carries > 0 && !one.pivot && ', '}
              {!one.pivot && words.noPivot}
            </span>
          </button>
        </li>
      ))}
      {after > 0 && <li role="presentation" style={{ height: after }} />}
    </ul>
  );
}

interface OwnProps extends Pick<Props, 'joints' | 'act'> {
  row: Row;
  off: boolean;
}

/** What carries the part that is chosen. */
function Carrier({
  view,
  tree,
  nameOf,
  row,
  off,
  joints,
  act,
}: OwnProps & { view: Arrangement; tree: Tree; nameOf: NameOf }) {
  const inside = carriedBy(view.rows, row.id);
  const others = tree.filter(({ row: one }) => !inside.has(one.id));
  const isPicking = joints.picking === 'parent';
  return (
    <div className={form.row}>
      <NativeSelect
        size="xs"
        label={words.parentOf(row.name)}
        disabled={off}
        data={[
          { value: '', label: words.none },
          ...others.map(({ row: one }) => ({ value: one.id, label: nameOf(one) })),
        ]}
        value={joints.parent?.id ?? ''}
        onChange={(event) => act({ do: 'set-joints', parents: { [row.id]: event.currentTarget.value || null } })}
      />
      <Button
        size="xs"
        disabled={off}
        variant={isPicking ? 'filled' : 'default'}
        aria-pressed={isPicking}
        aria-keyshortcuts="C"
        onClick={() => joints.setPicking(isPicking ? null : 'parent')}
      >
        {isPicking ? words.clickOnTheParent : words.pickOnPictureC}
      </Button>
    </div>
  );
}

/** Where the art says that the part turns. */
function JointPlace({
  row,
  off,
  joint,
  parent,
  act,
}: Omit<OwnProps, 'joints'> & { joint: NonNullable<Work['joint']>; parent: Row | undefined }) {
  const at = joint.at.map((one) => rounded(one)).join(', ');
  return (
    <div className={form.row}>
      <p className={form.told}>
        {joint.is_round
          ? words.roundEndCentreRadiusPx(at, joint.radius, joint.deviation)
          : words.middleOfTheOverlapWith(parent?.name, at)}
      </p>
      <Button
        size="compact-sm"
        variant="default"
        disabled={off}
        onClick={() => act({ do: 'set-pivots', pivots: { [row.id]: placeOf(joint.at) } })}
      >
        {words.toUseAsPivot}
      </Button>
    </div>
  );
}

/** The part turned for a try, by hand or through a range. */
function Turning({ row, joints }: Pick<OwnProps, 'row' | 'joints'>) {
  const [range, setRange] = useState(30);
  const { swing, swingRange } = joints;
  return (
    <>
      <div className={classes.turn}>
        <span id="turn-label">{words.testAngle}</span>
        <Slider
          size="sm"
          min={swingRange?.start ?? -MOST}
          max={swingRange?.end ?? MOST}
          value={swing ? swing.at : (joints.turns[row.id] ?? 0)}
          label={(degrees) => `${degrees}°`}
          thumbProps={{ 'aria-labelledby': 'turn-label' }}
          onChange={(degrees) => (swing ? joints.setSwingAt(degrees) : joints.turn(row.id, degrees))}
        />
        <Button size="compact-sm" variant="subtle" disabled={!joints.isTurned} onClick={joints.rest}>
          {words.reset}
        </Button>
      </div>
      <div className={form.row}>
        <NumberInput
          size="xs"
          label={words.swingRange}
          suffix="°"
          min={1}
          max={MOST}
          allowDecimal={false}
          value={range}
          onChange={(value) => setRange(Math.min(MOST, Math.max(1, Number(value) || 1)))}
        />
        <Button size="xs" variant="default" onClick={() => joints.startSwing(-range, range)}>
          {words.swing}
        </Button>
        {swingRange && (
          <Button size="xs" variant="subtle" onClick={joints.rest}>
            {words.close}
          </Button>
        )}
      </div>
    </>
  );
}

/** What the swing has found, and what closes the gap. */
function SwingFound({
  swing,
  canEdit,
  joints,
  act,
  nameOf,
}: Pick<Props, 'canEdit' | 'joints' | 'act'> & {
  swing: NonNullable<Work['swing']>;
  nameOf: (id: string) => string;
}) {
  const { completions } = joints;
  return (
    <>
      <SwingCurve swing={swing} onAt={joints.setSwingAt} />
      <p role="status" aria-busy={joints.isSwinging} data-testid="swing">
        <span className={classes.opensWord}>{words.gap}</span> {sideText(swing, 'opened')},{' '}
        <span className={classes.jutsWord}>{words.overhang}</span>
        {words.atWorstAt(sideText(swing, 'jutting'), swing.at.toFixed(0), swing.worst.toFixed(0))}
      </p>
      {completions && completions.mends.length > 0 && (
        <div className={form.row}>
          {completions.mends.map(({ command, opens }) => (
            <Button
              key={command.do}
              size="compact-sm"
              variant="default"
              disabled={!canEdit}
              onClick={() => act(command)}
            >
              {words.px(mendText(command, nameOf), completions.opens, opens)}
            </Button>
          ))}
        </div>
      )}
      {completions && completions.opens > 0 && completions.mends.length === 0 && (
        <p className={form.told}>{words.growingOrRoundingOff}</p>
      )}
    </>
  );
}

/** What a command does to which part. */
function mendText(command: Command, nameOf: (id: string) => string): string {
  if (command.do === 'grow-under') return words.growUnder(nameOf(command.row));
  return command.do === 'round-off' ? words.roundOff(nameOf(command.row)) : command.do;
}

/** How many pixels on which side of the limb, at the angle that is drawn. */
function sideText(swing: NonNullable<Work['swing']>, what: 'opened' | 'jutting'): string {
  const at = swing.degrees.reduce(
    (best, one, index) => (Math.abs(one - swing.at) < Math.abs((swing.degrees[best] ?? 0) - swing.at) ? index : best),
    0,
  );
  const [left = 0, right = 0] = swing[what][at] ?? [];
  return words.pxLeftRight(left + right, left, right);
}
