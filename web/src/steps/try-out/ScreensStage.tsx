import { useEffect, useMemo, useRef, useState } from 'react';
import type { OnScreen, Rehearsal } from '../../api/rehearsals';
import { arranged } from '../../rules/screens';
import { nameOf } from './figure';
import { usePartPictures } from './movingStage';
import classes from './Screens.module.css';
import { drawScreen, isSeenIn } from './screenDrawing';
import { KNOWN, type Screens, sizeOf } from './useScreens';
import { screensStage as words } from './words';

const GAP = 16;
const TITLE = 24;

/** The package on every screen, side by side and to one scale. */
export function ScreensStage({ rehearsal, screens }: { rehearsal: Rehearsal; screens: Screens }) {
  const frame = useRef<HTMLDivElement>(null);
  const [window, setWindow] = useState<{ width: number; height: number } | null>(null);
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWindow({ width: element.clientWidth, height: element.clientHeight }));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  const parts = usePartPictures(rehearsal, true);
  const places = useMemo(
    () => (window ? arranged(screens.screens, window, GAP, TITLE) : null),
    [screens.screens, window],
  );
  return (
    <section ref={frame} className={classes.stage} aria-label={words.screens} data-pictures={parts.arrived}>
      {places &&
        screens.screens.map((screen, at) => (
          <figure
            key={sizeOf(screen)}
            className={classes.screen}
            style={{ left: places.corners[at]?.left, top: places.corners[at]?.top, width: screen.width * places.scale }}
          >
            <figcaption>
              {KNOWN[sizeOf(screen)] ?? words.customSize} <span>{words.px(screen.width, screen.height)}</span>
            </figcaption>
            <OneScreen screen={screen} screens={screens} pictures={parts} scale={places.scale} />
          </figure>
        ))}
    </section>
  );
}

interface ScreenProps {
  screen: OnScreen;
  screens: Screens;
  pictures: ReturnType<typeof usePartPictures>;
  scale: number;
}

function OneScreen({ screen, screens, pictures, scale }: ScreenProps) {
  const surface = useRef<HTMLCanvasElement>(null);
  const { figure, members } = screens;
  const [width, height] = [Math.round(screen.width * scale), Math.round(screen.height * scale)];
  // biome-ignore lint/correctness/useExhaustiveDependencies: `arrived` says that more pictures of parts are there
  useEffect(() => {
    const element = surface.current;
    if (!element || !figure || members.length !== figure.sets.length) return;
    const ratio = globalThis.devicePixelRatio;
    element.width = Math.round(width * ratio);
    element.height = Math.round(height * ratio);
    drawScreen(element, figure, pictures.pictures, screen, members);
  }, [figure, members, screen, width, height, pictures.pictures, pictures.arrived]);
  const targets = useTargets(screen, screens);
  const { finding } = screens;
  const shown = finding?.screen === sizeOf(screen) ? finding.finding : null;
  return (
    <div className={classes.frame} style={{ width, height }}>
      <canvas
        ref={surface}
        role="img"
        aria-label={words.thePackageOnPx(screen.width, screen.height)}
        data-testid={`screen ${sizeOf(screen)}`}
      />
      {targets.map(({ id, name, set, isAtRest, place }) => (
        <button
          key={id}
          type="button"
          className={classes.target}
          title={name}
          aria-label={name}
          aria-pressed={!isAtRest}
          style={inFrame(place, screen)}
          onClick={() => screens.press(set)}
        />
      ))}
      {shown &&
        [shown.part, shown.other].map((id) => {
          const place = screen.places.find((one) => one.id === id);
          return place && <span key={id} className={classes.found} style={inFrame(place, screen)} />;
        })}
    </div>
  );
}

type Place = OnScreen['places'][number];

const inFrame = ({ left, top, width, height }: Place, screen: OnScreen) => ({
  left: `${(left / screen.width) * 100}%`,
  top: `${(top / screen.height) * 100}%`,
  width: `${(width / screen.width) * 100}%`,
  height: `${(height / screen.height) * 100}%`,
});

/** What can be pressed: press targets of sets that are seen, those alone that no other carries. */
function useTargets(screen: OnScreen, { figure, members, setOf }: Screens) {
  if (!figure) return [];
  return figure.parts.flatMap((part, at) => {
    const set = setOf(at);
    const parent = figure.parts[figure.parents[at] ?? -1];
    const place = screen.places[at];
    const isOne = part.role === 'press-target' && parent?.role !== 'press-target';
    if (!isOne || !set || !place || !isSeenIn(figure, members, at)) return [];
    const whole = figure.sets[set.set];
    const name = whole ? `${whole.name}: ${whole.members[set.member]?.name}` : nameOf(part);
    return [{ id: part.id, name, set: set.set, isAtRest: whole?.rest === set.member, place }];
  });
}
