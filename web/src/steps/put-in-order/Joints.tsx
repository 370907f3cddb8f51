import { Button, NativeSelect, NumberInput, Slider } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import type { Arrangement, Row } from '../../api/calls';
import { placeOf } from '../../api/steps';
import type { Act } from '../../ledger/useArrangement';
import { carriedBy, carriedTree } from '../../rules/joints';
import { numbersOf } from '../../rules/tree';
import form from '../../ui/form.module.css';
import pages from '../../ui/pages.module.css';
import { plural } from '../../ui/units';
import classes from './PutInOrder.module.css';
import { SwingCurve } from './SwingCurve';
import type { Joints as Work } from './useJoints';

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
  const [range, setRange] = useState(30);
  const [over, setOver] = useState<string | null>(null);
  const list = useRef<HTMLUListElement>(null);
  const id = row?.id;
  // A part that was picked on the picture is brought into view.
  useEffect(() => {
    if (id) list.current?.querySelector(`[data-part-id="${CSS.escape(id)}"]`)?.scrollIntoView({ block: 'nearest' });
  }, [id]);
  const tree = carriedTree(view.rows);
  const numbers = numbersOf(view.rows);
  const byId = new Map(view.rows.map((one) => [one.id, one]));
  const inside = row ? carriedBy(view.rows, row.id) : new Set<string>();
  const off = !canEdit || !row || row.locked;
  // What carries all others needs neither, and a ground is not carried.
  const withoutAny = tree.filter(
    ({ row: one, carries, level }) =>
      one.box && one.role !== 'ground' && (level === 1 ? carries === 0 : one.pivot === null),
  ).length;
  const { swing, joint, parent } = joints;
  const nameOf = (one: Row) => {
    const group = one.group === null ? undefined : byId.get(one.group);
    return group ? `${group.name} / ${one.name}` : one.name;
  };
  return (
    <div className={pages.page}>
      <div className={form.form}>
        <div className={form.row}>
          <Button size="xs" disabled={!canEdit} onClick={() => joints.propose([])}>
            Propose for all that have none
          </Button>
          <Button
            size="xs"
            variant="default"
            disabled={!canEdit || chosen.size === 0}
            title="Pivots and parents of what is chosen go over to the twins on the other side"
            onClick={() => joints.propose([...chosen], true)}
          >
            Mirror to the twins
          </Button>
        </div>
        <p className={form.told} role="status">
          {joints.said ||
            (withoutAny === 0
              ? 'Every part has a parent and a pivot, or carries the others.'
              : `${plural(withoutAny, 'part')} without a parent or a pivot.`)}
        </p>
      </div>
      <ul ref={list} className={row ? classes.carriedShort : classes.carried} aria-label="Who carries whom">
        {tree.map(({ row: one, level, carries }) => (
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
                {carries > 0 && `carries ${carries}`}
                {carries > 0 && !one.pivot && ', '}
                {!one.pivot && 'no pivot'}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {!row && <p className={form.told}>Choose one part, here or on the picture, to see and set its joint.</p>}
      {row && (
        <div className={form.form}>
          <div className={form.row}>
            <NativeSelect
              size="xs"
              label={`${row.name} is carried by`}
              disabled={off}
              data={[
                { value: '', label: 'nothing' },
                ...tree
                  .filter(({ row: one }) => !inside.has(one.id))
                  .map(({ row: one }) => ({ value: one.id, label: nameOf(one) })),
              ]}
              value={parent?.id ?? ''}
              onChange={(event) => act({ do: 'set-joints', parents: { [row.id]: event.currentTarget.value || null } })}
            />
            <Button
              size="xs"
              disabled={off}
              variant={joints.picking === 'parent' ? 'filled' : 'default'}
              aria-pressed={joints.picking === 'parent'}
              aria-keyshortcuts="C"
              onClick={() => joints.setPicking(joints.picking === 'parent' ? null : 'parent')}
            >
              {joints.picking === 'parent' ? 'Click on what carries it' : 'Point at it (C)'}
            </Button>
          </div>
          {joint && (
            <div className={form.row}>
              <p className={form.told}>
                {joint.is_round
                  ? `Its end is round: a circle of ${joint.radius.toFixed(1)} px, within ${joint.deviation.toFixed(2)} px, about ${joint.at.map((one) => one.toFixed(1)).join(', ')}.`
                  : `The middle of what it shares with ${parent?.name} is at ${joint.at.map((one) => one.toFixed(1)).join(', ')}.`}
              </p>
              <Button
                size="compact-sm"
                variant="default"
                disabled={off}
                onClick={() => act({ do: 'set-pivots', pivots: { [row.id]: placeOf(joint.at) } })}
              >
                Turn about that
              </Button>
            </div>
          )}
          {!row.pivot && (
            <p className={form.told}>It has no pivot. Press V and click on the picture, or let one be proposed.</p>
          )}
          {row.pivot && (
            <>
              <div className={classes.turn}>
                <span id="turn-label">Try to turn it</span>
                <Slider
                  size="sm"
                  min={joints.swingRange?.start ?? -MOST}
                  max={joints.swingRange?.end ?? MOST}
                  value={swing ? swing.at : (joints.turns[row.id] ?? 0)}
                  label={(degrees) => `${degrees}°`}
                  thumbProps={{ 'aria-labelledby': 'turn-label' }}
                  onChange={(degrees) => (swing ? joints.setSwingAt(degrees) : joints.turn(row.id, degrees))}
                />
                <Button size="compact-sm" variant="subtle" disabled={!joints.isTurned} onClick={joints.rest}>
                  Put it back
                </Button>
              </div>
              <div className={form.row}>
                <NumberInput
                  size="xs"
                  label="Swing it to both sides by"
                  suffix="°"
                  min={1}
                  max={MOST}
                  allowDecimal={false}
                  value={range}
                  onChange={(value) => setRange(Math.min(MOST, Math.max(1, Number(value) || 1)))}
                />
                <Button size="xs" variant="default" onClick={() => joints.startSwing(-range, range)}>
                  Swing it
                </Button>
                {joints.swingRange && (
                  <Button size="xs" variant="subtle" onClick={joints.rest}>
                    End the swing
                  </Button>
                )}
              </div>
            </>
          )}
          {joints.swingError && <p role="alert">{joints.swingError.message}</p>}
          {swing && (
            <>
              <SwingCurve swing={swing} onAt={joints.setSwingAt} />
              <p role="status" aria-busy={joints.isSwinging} data-testid="swing">
                <span className={classes.opensWord}>Opens</span> {sideText(swing, 'opened')},{' '}
                <span className={classes.jutsWord}>juts out</span> {sideText(swing, 'jutting')} at {swing.at.toFixed(0)}
                °. Worst at {swing.worst.toFixed(0)}°.
              </p>
              {joints.behind && (
                <div className={form.row}>
                  <Button
                    size="compact-sm"
                    variant="default"
                    disabled={!canEdit}
                    onClick={() => joints.complete('grow-under')}
                  >
                    Grow {joints.behind.name} under
                  </Button>
                  <Button
                    size="compact-sm"
                    variant="default"
                    disabled={!canEdit}
                    onClick={() => joints.complete('round-off')}
                  >
                    Round {joints.behind.name} off
                  </Button>
                </div>
              )}
            </>
          )}
        </div>
      )}
    </div>
  );
}

/** How many pixels on which side of the limb, at the angle that is drawn. */
function sideText(swing: NonNullable<Work['swing']>, what: 'opened' | 'jutting'): string {
  const at = swing.degrees.reduce(
    (best, one, index) => (Math.abs(one - swing.at) < Math.abs((swing.degrees[best] ?? 0) - swing.at) ? index : best),
    0,
  );
  const [left = 0, right = 0] = swing[what][at] ?? [];
  return `${left + right} px (${left} left, ${right} right)`;
}
