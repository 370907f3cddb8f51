import { Button, NumberInput } from '@mantine/core';
import type { Act } from '../../ledger/useArrangement';
import { FirstFew } from '../../ui/FirstFew';
import classes from '../../ui/form.module.css';
import { Remarks } from '../../ui/Remarks';
import { plural } from '../../ui/units';
import type { Finding } from './useFindings';
import type { Taking } from './useTaking';

interface Props {
  illustration: number;
  taking: Taking;
  canEdit: boolean;
  onChoose: (row: string) => void;
  act: Act;
}

const KINDS: readonly { kind: Finding['kind']; title: string; told: string }[] = [
  { kind: 'remainder', title: 'Remainder', told: 'Art that is in no part, so it would not be handed over.' },
  { kind: 'leftover', title: 'Double art', told: 'The same art is in two parts at the same position.' },
  { kind: 'copy', title: 'Named as copies', told: '' },
  { kind: 'crumbs', title: 'Crumbs', told: 'Tiny islands beside a part make its box larger.' },
  { kind: 'pinholes', title: 'Pinholes', told: 'Tiny holes in the art.' },
  {
    kind: 'overlay',
    title: 'Blends with parts behind',
    told: 'Target programs without blend modes show these differently.',
  },
  { kind: 'covered', title: 'Wholly covered', told: 'These parts are never visible.' },
  { kind: 'joint', title: 'Joints that open', told: 'Gaps appear as soon as the figure moves a little.' },
  {
    kind: 'debris',
    title: 'Debris behind parts',
    told: 'Visible when the part in front moves. Fill these places again under Underlap, or remove the added pixels.',
  },
  { kind: 'same-drawing', title: 'The same drawing', told: 'One image can serve several parts.' },
];

/** What came of it all: beside what was brought in, and what there is to mend. */
export function LookOver({ illustration, taking, canEdit, onChoose, act }: Props) {
  const { compared, findings } = taking;
  const { found } = findings;
  return (
    <>
      <div className={classes.form}>
        <h3>Compare with the original</h3>
        <div className={classes.row}>
          <Button size="xs" variant="default" onClick={taking.compare}>
            Compare
          </Button>
        </div>
        {compared && (
          <p data-testid="difference">
            {compared.differing.toLocaleString('en')} of {compared.pixels.toLocaleString('en')} pixels differ
            {compared.differing > 0 && `, by at most ${compared.largest} of 255. They are highlighted`}.
          </p>
        )}
      </div>
      <div className={classes.form}>
        <h3>Findings</h3>
        <div className={classes.row}>
          <NumberInput
            size="xs"
            label="Crumbs are below"
            suffix=" px"
            min={1}
            max={1_000_000}
            allowDecimal={false}
            value={findings.smallest}
            onChange={(value) => findings.setSmallest(Number(value) || 1)}
          />
          <NumberInput
            size="xs"
            label="Same-drawing tolerance"
            suffix=" of 255"
            min={0}
            max={64}
            allowDecimal={false}
            value={findings.tolerance}
            onChange={(value) => findings.setTolerance(Number(value) || 0)}
          />
        </div>
        {!findings.isAsked && (
          <div className={classes.row}>
            <Button size="xs" onClick={findings.ask}>
              Check all parts
            </Button>
          </div>
        )}
        <p role="status" className={classes.state} aria-busy={findings.isLooking}>
          {findings.isLooking && !found && 'Checking all parts …'}
          {found && (found.length === 0 ? 'No findings.' : `${plural(found.length, 'finding')}.`)}
        </p>
        {findings.error && <p role="alert">{findings.error.message}</p>}
      </div>
      <Remarks illustration={illustration} canEdit={canEdit} onShow={onChoose} isOpenOnly />
      {found &&
        KINDS.map(({ kind, title, told }) => {
          const own = found.filter((one) => one.kind === kind);
          if (own.length === 0) return null;
          return (
            <section key={kind} className={classes.form} aria-label={title}>
              <h3>{`${title} (${own.length})`}</h3>
              {told && <p className={classes.told}>{told}</p>}
              <ul className={classes.notes}>
                <FirstFew items={own} keyOf={({ rows, frame, layer }) => `${rows.join()} ${frame} ${layer}`}>
                  {(finding) => (
                    <li>
                      <button
                        type="button"
                        className={classes.note}
                        aria-pressed={findings.shown === finding}
                        onClick={() => {
                          findings.show(findings.shown === finding ? null : finding);
                          const [first] = finding.rows;
                          if (first) onChoose(first);
                        }}
                      >
                        {finding.sentence}
                      </button>
                      {canEdit && (
                        <div className={classes.row}>
                          <Mends finding={finding} taking={taking} act={act} />
                        </div>
                      )}
                    </li>
                  )}
                </FirstFew>
              </ul>
            </section>
          );
        })}
    </>
  );
}

/** What can be done about a finding. */
function Mends({ finding, taking, act }: { finding: Finding } & Pick<Props, 'taking' | 'act'>) {
  const { kind, rows, frame } = finding;
  const { mend } = taking.findings;
  const [first = '', second] = rows;
  const all: Partial<Record<Finding['kind'], readonly (readonly [string, () => void] | false)[]>> = {
    crumbs: [
      ['Sweep', () => mend(finding, frame === null ? [] : [frame])] as const,
      frame !== null && (['Sweep all frames', () => mend(finding)] as const),
    ],
    pinholes: [
      ['Fill', () => mend(finding, frame === null ? [] : [frame])] as const,
      frame !== null && (['Fill all frames', () => mend(finding)] as const),
    ],
    leftover: [['Remove part', () => act({ do: 'remove-rows', rows: [first] })] as const],
    copy: [['Remove part', () => act({ do: 'remove-rows', rows: [first] })] as const],
    remainder: [
      ['Make a part', () => mend(finding)] as const,
      first !== '' &&
        ([
          'Include',
          () => act({ do: 'include-parts', included: Object.fromEntries(rows.map((row) => [row, true])) }),
        ] as const),
    ],
    overlay: [
      second !== undefined &&
        (['Merge with the part behind', () => act({ do: 'join-rows', rows: [first, second] })] as const),
      ['Set blend mode to normal', () => mend(finding)] as const,
    ],
    covered: [
      ['Leave out', () => act({ do: 'include-parts', included: { [first]: false } })],
      ['Set role to ground', () => act({ do: 'set-roles', roles: { [first]: 'ground' } })],
    ],
    joint: [['Round off beneath', () => mend(finding)]],
    'same-drawing': [['Share one image', () => mend(finding)] as const],
  };
  return (all[kind] ?? []).map(
    (one) =>
      one && (
        <Button key={one[0]} size="compact-sm" variant="default" onClick={one[1]}>
          {one[0]}
        </Button>
      ),
  );
}
