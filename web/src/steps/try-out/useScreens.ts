/** A package of an interface on screens of other sizes: which, what is seen of its sets, and what is wrong there. */

import { useLocalStorage } from '@mantine/hooks';
import { useEffect, useMemo, useState } from 'react';
import { type Rehearsal, type ScreenFinding, useScreensOf } from '../../api/rehearsals';
import { figureOf } from './figure';
import { useScreens as words } from './words';

/** The names of sizes that many have. */
export const KNOWN: Readonly<Record<string, string>> = {
  '1920x1080': words.wideScreen,
  '1280x800': words.tablet,
  '1080x1920': words.tallPhone,
};
const FIRST = Object.keys(KNOWN);
export const MOST_SCREENS = 12;

export function useScreens(rehearsal: Rehearsal | null, isOn: boolean) {
  const [sizes, setSizes] = useLocalStorage<string[]>({ key: 'screens', defaultValue: FIRST });
  const result = rehearsal?.result ?? null;
  const figure = useMemo(() => (result ? figureOf(result) : null), [result]);
  const asked = useScreensOf(rehearsal, isOn ? sizes : []);
  const [members, setMembers] = useState<readonly number[]>([]);
  const [finding, setFinding] = useState<{ screen: string; finding: ScreenFinding } | null>(null);
  useEffect(() => {
    setMembers(figure?.sets.map(({ rest }) => rest) ?? []);
    setFinding(null);
  }, [figure]);
  /** The set around a part that is pressed, and which of its members the part is in; null where it is in none. */
  const setOf = (part: number) => {
    if (!figure) return null;
    let found = figure.memberOf.parts[part] ?? null;
    for (let at = figure.parts[part]?.group ?? null; !found && at !== null; at = figure.groups[at]?.group ?? null) {
      found = figure.memberOf.groups[at] ?? null;
    }
    return found;
  };
  return {
    isOn,
    figure,
    sizes,
    setSizes,
    screens: asked.data ?? [],
    error: asked.error?.message ?? null,
    members,
    finding,
    setFinding,
    setOf,
    /** Show the next member of a set. */
    press: (set: number) =>
      setMembers((before) =>
        before.map((member, at) => (at === set ? (member + 1) % (figure?.sets[set]?.members.length ?? 1) : member)),
      ),
  };
}

export type Screens = ReturnType<typeof useScreens>;

export const sizeOf = ({ width, height }: { width: number; height: number }): string => `${width}x${height}`;
