import { Button, NumberInput } from '@mantine/core';
import { useState } from 'react';
import type { Taking } from '../steps/take-apart/useTaking';
import { FirstFew } from '../ui/FirstFew';
import form from '../ui/form.module.css';
import { Remarks } from '../ui/Remarks';
import { count } from '../ui/units';
import { type Fix, groupsOf, type Kind, type Listed } from './finding';
import type { AllFindings } from './useAllFindings';
import { findingsPage as words } from './words';

interface Props {
  illustration: number;
  all: AllFindings;
  taking: Pick<Taking, 'findings' | 'compare' | 'compared'>;
  canEdit: boolean;
  choose: (ids: readonly string[], current: string | null) => void;
}

const SEVERITIES = [
  { severity: 'error', title: words.errors },
  { severity: 'warning', title: words.warnings },
  { severity: 'note', title: words.notes },
] as const;

/** All that should be looked at, wherever it was found: errors first, equal ones in a line, each with what can be done about it. */
export function FindingsPage({ illustration, all, taking, canEdit, choose }: Props) {
  const { found, kinds } = all.list();
  return (
    <>
      <Checks taking={taking} />
      <p className={form.told} role="status" aria-busy={taking.findings.isLooking}>
        {said(found.length, taking)}
      </p>
      <Remarks illustration={illustration} canEdit={canEdit} onShow={(part) => choose([part], part)} isOpenOnly />
      {SEVERITIES.map(({ severity, title }) => {
        const groups = groupsOf(found, severity);
        if (groups.length === 0) return null;
        const number = groups.reduce((sum, { alike }) => sum + alike.length, 0);
        return (
          <section key={severity} className={form.form} aria-label={title}>
            <h3>{`${title} (${number})`}</h3>
            <ul className={form.notes}>
              {groups.map(({ kind, alike, isOneLine }) => {
                const known = kinds[kind];
                return isOneLine ? (
                  <Alike key={kind} kind={known} alike={alike} canEdit={canEdit} choose={choose} />
                ) : (
                  alike.map((one, at) => (
                    <One key={one.key} one={one} told={at === 0 ? known?.told : undefined} canEdit={canEdit} />
                  ))
                );
              })}
            </ul>
          </section>
        );
      })}
    </>
  );
}

/** What is checked only when somebody asks: every pixel, and whether the parts still make the picture that was brought in. */
function Checks({ taking: { findings, compare, compared } }: Pick<Props, 'taking'>) {
  return (
    <div className={form.form}>
      <div className={form.row}>
        <Button size="xs" variant="default" onClick={findings.ask} disabled={findings.isAsked}>
          {words.checkAllParts}
        </Button>
        <Button size="xs" variant="default" onClick={compare}>
          {words.compareWithTheOriginal}
        </Button>
      </div>
      {compared && (
        <p data-testid="difference">
          {words.ofPixelsDiffer(compared.differing, compared.pixels)}
          {compared.differing > 0 && words.byAtMostOf255(compared.largest)}.
        </p>
      )}
      {findings.isAsked && (
        <details className={form.more}>
          <summary>{words.limitsOfTheCheck}</summary>
          <div className={form.row}>
            <NumberInput
              size="xs"
              label={words.crumbsAreBelow}
              suffix=" px"
              min={1}
              max={1_000_000}
              allowDecimal={false}
              value={findings.smallest}
              onChange={(value) => findings.setSmallest(Number(value) || 1)}
            />
            <NumberInput
              size="xs"
              label={words.sameDrawingTolerance}
              suffix=" of 255"
              min={0}
              max={64}
              allowDecimal={false}
              value={findings.tolerance}
              onChange={(value) => findings.setTolerance(Number(value) || 0)}
            />
          </div>
        </details>
      )}
      {findings.error && <p role="alert">{findings.error.message}</p>}
    </div>
  );
}

/** How many there are, and whether the pixels are among what was looked at. */
function said(count: number, { findings }: Props['taking']): string {
  if (findings.isAsked && !findings.found) return words.checkingAllParts;
  const number = count === 0 ? words.noFindings : words.findingCount(count);
  return findings.isAsked ? `${number}.` : words.thePixelsAreNotChecked(number);
}

function Fixes({ fixes }: { fixes: readonly Fix[] }) {
  return (
    <div className={form.row}>
      {fixes.map(({ label, fix }) => (
        <Button key={label} size="compact-sm" variant="default" onClick={fix}>
          {label}
        </Button>
      ))}
    </div>
  );
}

/** One finding, which shows its parts, with what can be done about it. */
function One({ one, told, canEdit }: { one: Listed; told: string | undefined; canEdit: boolean }) {
  return (
    <li>
      <button
        type="button"
        className={form.note}
        aria-pressed={one.isShown}
        data-severity={one.severity}
        onClick={one.show}
      >
        {one.sentence}
      </button>
      {told && <p className={form.told}>{told}</p>}
      {canEdit && one.fixes.length > 0 && <Fixes fixes={one.fixes} />}
    </li>
  );
}

interface AlikeProps {
  kind: Kind | undefined;
  alike: readonly Listed[];
  canEdit: boolean;
  choose: Props['choose'];
}

/** Many of one kind in a line, each of them a click away, with what can be done about all. */
function Alike({ kind, alike, canEdit, choose }: AlikeProps) {
  const [isOpen, setOpen] = useState(false);
  const rows = [...new Set(alike.flatMap((one) => one.rows))];
  const fixes = kind?.fixAll(alike) ?? [];
  return (
    <li>
      <button
        type="button"
        className={form.note}
        data-severity={alike[0]?.severity}
        aria-expanded={isOpen}
        onClick={() => {
          setOpen(!isOpen);
          if (!isOpen) choose(rows, rows[0] ?? null);
        }}
      >
        {`${count(alike.length)} ${kind?.together ?? words.findings}`}
      </button>
      {kind?.told && <p className={form.told}>{kind.told}</p>}
      {canEdit && fixes.length > 0 && <Fixes fixes={fixes} />}
      {isOpen && (
        <ul className={form.notes}>
          <FirstFew items={alike} keyOf={(one) => one.key}>
            {(one) => <One one={one} told={undefined} canEdit={canEdit} />}
          </FirstFew>
        </ul>
      )}
    </li>
  );
}
