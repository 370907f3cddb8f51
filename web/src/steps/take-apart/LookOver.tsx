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
  { kind: 'remainder', title: 'In no part', told: 'Art of the picture that is not handed over.' },
  { kind: 'leftover', title: 'Left over', told: 'Art that is in two parts at the same place.' },
  { kind: 'copy', title: 'Named as copies', told: '' },
  { kind: 'crumbs', title: 'Crumbs', told: 'Tiny pieces beside a part; they make its box larger.' },
  { kind: 'pinholes', title: 'Pinholes', told: 'Tiny holes that the art goes round.' },
  { kind: 'overlay', title: 'Mixed with what lies behind', told: 'A program without modes lays these otherwise.' },
  { kind: 'covered', title: 'Wholly covered', told: 'Nobody will see these, and nothing says that it should be so.' },
  { kind: 'joint', title: 'Joints that open', told: 'Seen as soon as somebody moves the figure a little.' },
  {
    kind: 'debris',
    title: 'Rubbish behind parts',
    told: 'Seen when the part in front moves. Fill these places again under Beneath, or remove the added pixels.',
  },
  { kind: 'same-drawing', title: 'The same drawing', told: 'One image can be laid several times.' },
];

/** What came of it all: beside what was brought in, and what there is to mend. */
export function LookOver({ illustration, taking, canEdit, onChoose, act }: Props) {
  const { compared, findings } = taking;
  const { found } = findings;
  return (
    <>
      <div className={classes.form}>
        <h3>Beside what was brought in</h3>
        <div className={classes.row}>
          <Button size="xs" variant="default" onClick={taking.compare}>
            Compare with what was brought in
          </Button>
        </div>
        {compared && (
          <p data-testid="difference">
            {compared.differing.toLocaleString('en')} of {compared.pixels.toLocaleString('en')} pixels differ
            {compared.differing > 0 && `, by at most ${compared.largest} of 255; they are marked`}.
          </p>
        )}
      </div>
      <div className={classes.form}>
        <h3>Notes in the margin</h3>
        <div className={classes.row}>
          <NumberInput
            size="xs"
            label="Tiny is below"
            suffix=" px"
            min={1}
            max={1_000_000}
            allowDecimal={false}
            value={findings.smallest}
            onChange={(value) => findings.setSmallest(Number(value) || 1)}
          />
          <NumberInput
            size="xs"
            label="The same drawing may differ by"
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
              Look all parts over
            </Button>
          </div>
        )}
        <p role="status" className={classes.state} aria-busy={findings.isLooking}>
          {findings.isLooking && !found && 'Looking all parts over.'}
          {found && (found.length === 0 ? 'Nothing was found to mend.' : `${plural(found.length, 'note')}.`)}
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
      ['Sweep them out', () => mend(finding, frame === null ? [] : [frame])] as const,
      frame !== null && (['Sweep all frames', () => mend(finding)] as const),
    ],
    pinholes: [
      ['Fill them', () => mend(finding, frame === null ? [] : [frame])] as const,
      frame !== null && (['Fill all frames', () => mend(finding)] as const),
    ],
    leftover: [['Remove the part', () => act({ do: 'remove-rows', rows: [first] })] as const],
    copy: [['Remove the part', () => act({ do: 'remove-rows', rows: [first] })] as const],
    remainder: [
      ['Make a part of it', () => mend(finding)] as const,
      first !== '' &&
        ([
          'Hand over what is left out',
          () => act({ do: 'include-parts', included: Object.fromEntries(rows.map((row) => [row, true])) }),
        ] as const),
    ],
    overlay: [
      second !== undefined &&
        (['Make one part of it and what it lies on', () => act({ do: 'join-rows', rows: [first, second] })] as const),
      ['Lay it as normal', () => mend(finding)] as const,
    ],
    covered: [
      ['Leave it out', () => act({ do: 'include-parts', included: { [first]: false } })],
      ['It is the ground', () => act({ do: 'set-roles', roles: { [first]: 'ground' } })],
    ],
    joint: [['Round it off beneath', () => mend(finding)]],
    'same-drawing': [['Let them be one image', () => mend(finding)] as const],
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
