/** Where loose images lie: as it was proposed, moved by hand, and kept a moment after each change. */

import { useEffect, useMemo, useState } from 'react';
import type { Laid, LooseImage, Proposal, Reading, Rehearsal } from '../../api/rehearsals';
import { useAskBeforeLeaving } from '../../ui/useAskBeforeLeaving';
import { useLiningUp as words } from './words';

const KEPT_AFTER = 500;
const MOST_BACK = 200;

/** What an image is asked to be, wherever it lies. */
export type Change = Partial<Omit<Laid, 'file'>>;

interface Props {
  rehearsal: Rehearsal | null;
  isOpening: boolean;
  canEdit: boolean;
  read: (reading: Reading) => Promise<void>;
}

const NONE: readonly Laid[] = [];

export function useLiningUp({ rehearsal, isOpening, canEdit, read }: Props) {
  const result = rehearsal?.result?.way === 'lined up' ? rehearsal.result : null;
  const [changed, setChanged] = useState<readonly Laid[] | null>(null);
  const [past, setPast] = useState<readonly (readonly Laid[])[]>([]);
  const [selected, setSelected] = useState<string | null>(null);
  const [faint, setFaint] = useState(0.5);
  const [isOver, setIsOver] = useState(false);
  const [isSending, setIsSending] = useState(false);
  const [sent, setSent] = useState<readonly Laid[] | null>(null);
  const kept = result?.places ?? NONE;
  const places = changed ?? kept;

  // biome-ignore lint/correctness/useExhaustiveDependencies: another package begins anew
  useEffect(() => {
    setChanged(null);
    setPast([]);
    setSelected(null);
  }, [rehearsal?.id]);
  const isQuiet = !isOpening && !isSending;
  const isSame = changed !== null && JSON.stringify(changed) === JSON.stringify(kept);
  useEffect(() => {
    if (isSame && isQuiet) setChanged(null);
  }, [isSame, isQuiet]);
  useEffect(() => {
    if (!changed || isSame || !isQuiet || sent === changed) return;
    const timer = setTimeout(() => {
      setSent(changed);
      setIsSending(true);
      void read({ way: 'lined up', places: [...changed], package: false }).finally(() => setIsSending(false));
    }, KEPT_AFTER);
    return () => clearTimeout(timer);
  });

  // What was sent and did not come back is not kept: why not is said above the places.
  const isRefused = changed !== null && !isSame && sent === changed && isQuiet;
  useAskBeforeLeaving(changed !== null && !isRefused);

  const images = useMemo(() => new Map((result?.images ?? []).map((image) => [image.file, image])), [result?.images]);
  const proposals = useMemo(
    () => new Map((result?.proposals ?? []).map((proposal) => [proposal.file, proposal])),
    [result?.proposals],
  );
  const become = (next: readonly Laid[]) => {
    if (!canEdit) return;
    setPast((before) => [...before.slice(-MOST_BACK), places]);
    setChanged(next);
  };
  const change = (file: string, what: Change) =>
    become(places.map((laid) => (laid.file === file ? { ...laid, ...what } : laid)));
  return {
    isOn: result !== null,
    saved: changed === null ? words.saved : isRefused ? words.notSaved : words.saving,
    /** All images, as the files are ordered. */
    images: [...images.values()],
    places,
    proposals,
    selected,
    setSelected,
    faint,
    setFaint,
    isOver,
    setIsOver,
    change,
    move: (file: string, across: number, down: number) => {
      const laid = places.find((one) => one.file === file);
      if (laid) change(file, { x: laid.x + across, y: laid.y + down });
    },
    /** The same while it is dragged: one way, however many steps it has. */
    drag: (file: string, x: number, y: number, isFirst: boolean) => {
      if (!canEdit) return;
      if (isFirst) setPast((before) => [...before.slice(-MOST_BACK), places]);
      setChanged(places.map((laid) => (laid.file === file ? { ...laid, x, y } : laid)));
    },
    /** In front of all others: where it seems to lie, else in the middle of the picture. */
    put: (file: string) => {
      const image = images.get(file);
      if (!image || !result) return;
      become([...places, proposals.get(file)?.laid ?? inTheMiddle(image, result)]);
      setSelected(file);
    },
    takeOff: (file: string) => become(places.filter((laid) => laid.file !== file)),
    /** One step to the front (1) or to the back (-1). */
    order: (file: string, by: 1 | -1) => {
      const at = places.findIndex((laid) => laid.file === file);
      const [one, other] = [places[at], places[at + by]];
      if (!one || !other) return;
      const next = [...places];
      next[at] = other;
      next[at + by] = one;
      become(next);
    },
    /** Put those that are not placed yet where they seem to lie, if that is certain enough; in the order that was proposed. */
    acceptAll: (least: number) => {
      const have = new Set(places.map((laid) => laid.file));
      const more = [...proposals.values()].flatMap(({ laid, certainty, file }) =>
        laid && certainty >= least && !have.has(file) ? [laid] : [],
      );
      if (more.length > 0) become(inOrder([...places, ...more], [...proposals.keys()]));
    },
    proposeAgain: () => {
      setPast((before) => [...before.slice(-MOST_BACK), places]);
      void read({ way: 'lined up', places: null, package: false });
    },
    makePackage: () => void read({ way: 'lined up', places: [...places], package: true }),
    canTakeBack: past.length > 0,
    takeBack: () => {
      const before = past.at(-1);
      if (!before) return;
      setPast(past.slice(0, -1));
      setChanged(before);
    },
  };
}

export type LiningUp = ReturnType<typeof useLiningUp>;

function inTheMiddle({ file, width, height }: LooseImage, canvas: { width: number; height: number }): Laid {
  const [x, y] = [Math.round((canvas.width - width) / 2), Math.round((canvas.height - height) / 2)];
  return { file, x, y, mirrored: false, quarters: 0, scale: 1 };
}

const inOrder = (places: readonly Laid[], files: readonly string[]): Laid[] =>
  [...places].sort((one, other) => files.indexOf(one.file) - files.indexOf(other.file));

/** How wide and high an image is where it lies. */
export function extentOf(laid: Laid, { width, height }: { width: number; height: number }) {
  const [across, down] = laid.quarters % 2 === 0 ? [width, height] : [height, width];
  return { width: Math.max(1, Math.round(across * laid.scale)), height: Math.max(1, Math.round(down * laid.scale)) };
}

/** How sure a proposal is, in words. */
export function certaintyOf(proposal: Proposal | undefined): string {
  if (!proposal?.laid) return words.notFound;
  return `${Math.round(proposal.certainty * 100)} %`;
}
