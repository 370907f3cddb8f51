import { Button, Modal, NativeSelect } from '@mantine/core';
import { useHotkeys } from '@mantine/hooks';
import { useQueries } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Plan } from '../../api/calls';
import { bytes } from '../../ui/units';
import classes from './HandOver.module.css';
import { type PlanSource, plannedQuery, useAddress } from './PlannedPicture';
import { viewer as words } from './words';

type File = Plan['files'][number];

interface Props {
  source: PlanSource;
  /** What can be seen, in the order of the plan. */
  files: readonly File[];
  /** Which of them is seen. */
  file: string;
  onFile: (file: string) => void;
  onClose: () => void;
}

const ZOOMS = [0.25, 0.5, 1, 2, 4, 8];
const GROUNDS = [
  { value: 'grey', label: words.greyBackground },
  { value: 'white', label: words.whiteBackground },
  { value: 'black', label: words.blackBackground },
  { value: 'lined', label: words.linedBackground },
];
/** Milliseconds of a moment of which nobody has said how long it is seen. */
const USUAL = 100;

/** One image of the plan after the other, each exactly as it will be written, a pixel of it a pixel of the screen. */
export function Viewer({ source, files, file, onFile, onClose }: Props) {
  const [zoom, setZoom] = useState(1);
  const [ground, setGround] = useState('grey');
  const at = files.findIndex((one) => one.file === file);
  const now = files[at];
  const step = (by: number) => {
    const next = files[(at + by + files.length) % files.length];
    if (next) onFile(next.file);
  };
  const part = source.plan.parts.find((one) => one.moments?.some((moment) => moment.file === file));
  const playing = usePlaying(part?.moments ?? []);
  useHotkeys([
    ['ArrowLeft', () => step(-1)],
    ['ArrowRight', () => step(1)],
  ]);
  const names = playing.isOn ? [...new Set(part?.moments?.map((moment) => moment.file))] : [file];
  const pictures = useQueries({
    queries: names.map((one) => plannedQuery(source, one)),
    combine: (results) => results.map(({ data, isError }) => ({ data, isError })),
  });
  const seen = playing.isOn ? playing.file : file;
  const { data: picture, isError } = pictures[names.indexOf(seen)] ?? { data: undefined, isError: false };
  const address = useAddress(picture);
  const [width, setWidth] = useState(0);
  const facts = [
    now?.size && words.px(now.size[0], now.size[1]),
    picture && !seen.endsWith('.tif') && bytes(picture.size),
    words.of(at + 1, files.length),
  ];
  return (
    <Modal
      opened
      fullScreen
      title={words.previewOfTheFile}
      onClose={onClose}
      closeButtonProps={{ 'aria-label': words.close }}
    >
      <div className={classes.viewer}>
        <div className={classes.viewerTools}>
          <Button size="xs" variant="default" aria-keyshortcuts="ArrowLeft" onClick={() => step(-1)}>
            {words.previous}
          </Button>
          <Button size="xs" variant="default" aria-keyshortcuts="ArrowRight" onClick={() => step(1)}>
            {words.next}
          </Button>
          <p role="status">
            <strong>{seen}</strong> <span className={classes.facts}>{facts.filter(Boolean).join(', ')}</span>
          </p>
          {(part?.moments?.length ?? 0) > 1 && (
            <Button size="xs" aria-pressed={playing.isOn} onClick={playing.toggle}>
              {playing.isOn ? words.pause : words.play}
            </Button>
          )}
          <NativeSelect
            size="xs"
            aria-label={words.size}
            data={ZOOMS.map((one) => ({ value: String(one), label: `${100 * one} %` }))}
            value={String(zoom)}
            onChange={(event) => setZoom(Number(event.currentTarget.value))}
          />
          <NativeSelect
            size="xs"
            aria-label={words.background}
            data={GROUNDS}
            value={ground}
            onChange={(event) => setGround(event.currentTarget.value)}
          />
        </div>
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard */}
        <section className={classes.viewerGround} data-ground={ground} aria-label={words.theImage} tabIndex={0}>
          {isError && <p role="alert">{words.thisImageCannotBeShown}</p>}
          {picture && address && (
            <img
              src={address}
              alt={seen}
              data-crisp={!source.plan.recipe.smooth || zoom > 1 || undefined}
              style={width ? { width: (width * zoom) / window.devicePixelRatio } : undefined}
              onLoad={(event) => setWidth(event.currentTarget.naturalWidth)}
            />
          )}
        </section>
      </div>
    </Modal>
  );
}

/** The moments of a part, each seen for its time, without end. */
function usePlaying(moments: readonly { file: string; milliseconds: number | null }[]) {
  const [at, setAt] = useState<number | null>(null);
  const isOn = at !== null && moments.length > 1;
  const now = isOn ? moments[at % moments.length] : undefined;
  useEffect(() => {
    if (!now) return undefined;
    const timer = window.setTimeout(() => setAt((before) => (before ?? 0) + 1), now.milliseconds ?? USUAL);
    return () => window.clearTimeout(timer);
  }, [now]);
  return { isOn, file: now?.file ?? '', toggle: () => setAt((before) => (before === null ? 0 : null)) };
}
