/** What the pixels say that should be looked at, once they were checked; each with what can be done about it. */
import type { Act } from '../ledger/useArrangement';
import type { Finding, Findings } from '../steps/take-apart/useFindings';
import { type Fix, fixes, type Kind, type Listed } from './finding';

type Of<T> = Partial<Record<Finding['kind'], T>>;

export interface PixelsContext {
  findings: Findings;
  act: Act;
  choose: (ids: readonly string[], current: string | null) => void;
}

const keyOf = ({ kind, rows, frame, layer, sentence }: Finding): string =>
  `${kind} ${rows.join()} ${frame} ${layer} ${sentence}`;

export const pixelsFound = (context: PixelsContext): Listed[] =>
  (context.findings.found ?? []).map((finding) => {
    const { kind, rows, sentence, severity } = finding;
    const { shown, show } = context.findings;
    return {
      key: keyOf(finding),
      severity,
      kind,
      sentence,
      rows,
      isShown: shown === finding,
      show: () => {
        show(shown === finding ? null : finding);
        if (rows[0]) context.choose([rows[0]], rows[0]);
      },
      fixes: fixesOf(finding, context),
    };
  });

function fixesOf(finding: Finding, { findings: { mend }, act }: PixelsContext): Fix[] {
  const { kind, rows, frame } = finding;
  const [first = '', second] = rows;
  const here = frame === null ? [] : [frame];
  const all: Of<Fix[]> = {
    crumbs: fixes(['Sweep', () => mend(finding, here)], frame !== null && ['Sweep all frames', () => mend(finding)]),
    pinholes: fixes(['Fill', () => mend(finding, here)], frame !== null && ['Fill all frames', () => mend(finding)]),
    leftover: fixes(['Remove part', () => act({ do: 'remove-rows', rows: [first] })]),
    copy: fixes(['Remove part', () => act({ do: 'remove-rows', rows: [first] })]),
    remainder: fixes(
      ['Make a part', () => mend(finding)],
      first !== '' && [
        'Include',
        () => act({ do: 'include-parts', included: Object.fromEntries(rows.map((row) => [row, true])) }),
      ],
    ),
    overlay: fixes(
      second !== undefined && ['Merge with the part behind', () => act({ do: 'join-rows', rows: [first, second] })],
      ['Set blend mode to normal', () => mend(finding)],
    ),
    covered: fixes(
      ['Leave out', () => act({ do: 'include-parts', included: { [first]: false } })],
      ['Set role to ground', () => act({ do: 'set-roles', roles: { [first]: 'ground' } })],
    ),
    joint: fixes(['Round off beneath', () => mend(finding)]),
    'same-drawing': fixes(['Share one image', () => mend(finding)]),
  };
  return all[kind] ?? [];
}

/** What each kind has in common, with what can be done about all of it. */
export function pixelsKinds({ findings, act }: PixelsContext): Of<Kind> {
  const byKey = new Map(findings.found?.map((one) => [keyOf(one), one]));
  const each = (alike: readonly Listed[]) => {
    // What is found in several frames of a part is mended in all of them at once.
    const byPart = new Map(alike.map((one) => [`${one.rows.join()} ${byKey.get(one.key)?.layer}`, byKey.get(one.key)]));
    for (const finding of byPart.values()) if (finding) findings.mend(finding);
  };
  const all = (label: string) => (alike: readonly Listed[]) => fixes([label, () => each(alike)]);
  const firstOf = (alike: readonly Listed[]) => [...new Set(alike.flatMap((one) => one.rows.slice(0, 1)))];
  const removeAll = (alike: readonly Listed[]) =>
    fixes(['Remove all', () => act({ do: 'remove-rows', rows: firstOf(alike) })]);
  return {
    remainder: {
      together: 'layers hold art that is in no part',
      told: 'It would not be handed over.',
      fixAll: all('Make parts of all'),
    },
    leftover: {
      together: 'parts hold art that another part has at the same position',
      told: 'The same art is in two parts at the same position.',
      fixAll: removeAll,
    },
    copy: { together: 'parts are named as copies', fixAll: removeAll },
    crumbs: {
      together: 'places with crumbs',
      told: 'Tiny islands beside a part make its box larger.',
      fixAll: all('Sweep all'),
    },
    pinholes: { together: 'places with pinholes', told: 'Tiny holes in the art.', fixAll: all('Fill all') },
    overlay: {
      together: 'parts blend with what lies behind them',
      told: 'Target programs without blend modes show these differently.',
      fixAll: all('Set all to normal'),
    },
    covered: {
      together: 'parts are never visible',
      told: 'They are wholly covered.',
      fixAll: (alike) =>
        fixes([
          'Leave out all',
          () => act({ do: 'include-parts', included: Object.fromEntries(firstOf(alike).map((row) => [row, false])) }),
        ]),
    },
    joint: {
      together: 'joints open',
      told: 'Gaps appear as soon as the figure moves a little.',
      fixAll: all('Round off all beneath'),
    },
    debris: {
      together: 'places of debris behind parts',
      told: 'Visible when the part in front moves. Fill these places again under Underlap, or remove the added pixels.',
      fixAll: () => [],
    },
    'same-drawing': {
      together: 'drawings are in several parts',
      told: 'One image can serve several parts.',
      fixAll: all('Share one image each'),
    },
  };
}
