/** What the pixels say that should be looked at, once they were checked; each with what can be done about it. */

import type { Act } from '../ledger/useArrangement';
import type { Finding, Findings } from '../steps/take-apart/useFindings';
import { type Fix, fixes, type Kind, type Listed } from './finding';
import { ofPixels as words } from './words';

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
    crumbs: fixes(
      [words.sweep, () => mend(finding, here)],
      frame !== null && [words.sweepAllFrames, () => mend(finding)],
    ),
    pinholes: fixes(
      [words.fill, () => mend(finding, here)],
      frame !== null && [words.fillAllFrames, () => mend(finding)],
    ),
    leftover: fixes([words.removePart, () => act({ do: 'remove-rows', rows: [first] })]),
    copy: fixes([words.removePart, () => act({ do: 'remove-rows', rows: [first] })]),
    remainder: fixes(
      [words.makeAPart, () => mend(finding)],
      first !== '' && [
        words.include,
        () => act({ do: 'include-parts', included: Object.fromEntries(rows.map((row) => [row, true])) }),
      ],
    ),
    overlay: fixes(
      second !== undefined && [words.mergeWithThePartBehind, () => act({ do: 'join-rows', rows: [first, second] })],
      [words.setBlendModeToNormal, () => mend(finding)],
    ),
    covered: fixes(
      [words.leaveOut, () => act({ do: 'include-parts', included: { [first]: false } })],
      [words.setRoleToGround, () => act({ do: 'set-roles', roles: { [first]: 'ground' } })],
    ),
    joint: fixes([words.roundOffBeneath, () => mend(finding)]),
    'same-drawing': fixes([words.shareOneImage, () => mend(finding)]),
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
    fixes([words.removeAll, () => act({ do: 'remove-rows', rows: firstOf(alike) })]);
  return {
    remainder: {
      together: words.layersHoldArt,
      told: words.itWouldNotBeHanded,
      fixAll: all(words.makePartsOfAll),
    },
    leftover: {
      together: words.partsHoldArtThatAnother,
      told: words.theSameArt,
      fixAll: removeAll,
    },
    copy: { together: words.partsAreNamedAsCopies, fixAll: removeAll },
    crumbs: {
      together: words.placesWithCrumbs,
      told: words.tinyIslandsBesideAPart,
      fixAll: all(words.sweepAll),
    },
    pinholes: { together: words.placesWithPinholes, told: words.tinyHolesInTheArt, fixAll: all(words.fillAll) },
    overlay: {
      together: words.partsBlendWithWhatLies,
      told: words.targetProgramsWithoutBlendModes,
      fixAll: all(words.setAllToNormal),
    },
    covered: {
      together: words.partsAreNeverVisible,
      told: words.theyAreWhollyCovered,
      fixAll: (alike) =>
        fixes([
          words.leaveOutAll,
          () => act({ do: 'include-parts', included: Object.fromEntries(firstOf(alike).map((row) => [row, false])) }),
        ]),
    },
    joint: {
      together: words.jointsOpen,
      told: words.gapsAppearAsSoon,
      fixAll: all(words.roundOffAllBeneath),
    },
    debris: {
      together: words.placesOfDebrisBehindParts,
      told: words.visibleWhenThePart,
      fixAll: () => [],
    },
    'same-drawing': {
      together: words.drawingsAreInSeveralParts,
      told: words.oneImageCanServeSeveral,
      fixAll: all(words.shareOneImageEach),
    },
  };
}
