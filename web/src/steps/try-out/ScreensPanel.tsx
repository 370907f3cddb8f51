import { Button, NumberInput } from '@mantine/core';
import { useState } from 'react';
import type { OnScreen, ScreenFinding } from '../../api/rehearsals';
import { nameOf } from './figure';
import classes from './Screens.module.css';
import { KNOWN, MOST_SCREENS, type Screens, sizeOf } from './useScreens';
import { screensPanel as words } from './words';

/** Which screens the package is seen on, and what is wrong on each. */
export function ScreensPanel({ screens }: { screens: Screens }) {
  const { sizes, setSizes } = screens;
  return (
    <>
      <p>{words.everyPartIsPlaced}</p>
      {screens.error && (
        <p role="alert" className={classes.problem}>
          {screens.error}
        </p>
      )}
      {screens.screens.map((screen) => (
        <ScreenReport
          key={sizeOf(screen)}
          screen={screen}
          screens={screens}
          onRemove={() => setSizes(sizes.filter((one) => one !== sizeOf(screen)))}
        />
      ))}
      <OwnSize
        isFull={sizes.length >= MOST_SCREENS}
        onAdd={(size) => !sizes.includes(size) && setSizes([...sizes, size])}
      />
    </>
  );
}

function ScreenReport({ screen, screens, onRemove }: { screen: OnScreen; screens: Screens; onRemove: () => void }) {
  const { findings } = screen;
  const size = sizeOf(screen);
  const title = words.px(KNOWN[size] ?? words.customSize, screen.width, screen.height);
  return (
    <section className={findings.length > 0 ? classes.wrong : classes.right} aria-label={title}>
      <header>
        <h3>{title}</h3>
        {screens.sizes.length > 1 && (
          <Button size="compact-xs" variant="subtle" onClick={onRemove} aria-label={words.remove(title)}>
            {words.removeButton}
          </Button>
        )}
      </header>
      {findings.length === 0 && <p>{words.nothingIsOffTheScreen}</p>}
      {findings.length > 0 && (
        <ul>
          {findings.slice(0, LISTED).map((finding) => (
            <li key={`${finding.kind} ${finding.part} ${finding.other}`}>
              <button
                type="button"
                aria-pressed={screens.finding?.finding === finding}
                onClick={() => screens.setFinding({ screen: size, finding })}
              >
                {sentenceOf(finding, screens)}
              </button>
            </li>
          ))}
        </ul>
      )}
      {findings.length > LISTED && <p>{words.and(findings.length - LISTED)}</p>}
    </section>
  );
}

/** At most so many are listed of a screen. */
const LISTED = 8;

function sentenceOf({ kind, part, other, pixels }: ScreenFinding, { figure }: Screens): string {
  const called = (id: string | null) => nameOf(figure?.parts[figure.byId.get(id ?? '') ?? -1]);
  const size = words.pxPixels(pixels);
  switch (kind) {
    case 'outside':
      return words.endsOutsideTheScreen(called(part), size);
    case 'small-target':
      return words.isOnlyLargeAPress(called(part), size);
    case 'overlap':
      return words.andOverlapBy(called(part), called(other), size);
    case 'squeezed':
      return words.hasLessRoomThan(called(part), size);
  }
}

function OwnSize({ isFull, onAdd }: { isFull: boolean; onAdd: (size: string) => void }) {
  const [width, setWidth] = useState(2560);
  const [height, setHeight] = useState(1080);
  const limits = { size: 'xs', min: 16, max: 16384, clampBehavior: 'strict', allowDecimal: false } as const;
  return (
    <form
      className={classes.own}
      onSubmit={(event) => {
        event.preventDefault();
        if (width >= limits.min && height >= limits.min) onAdd(sizeOf({ width, height }));
      }}
    >
      <NumberInput {...limits} label={words.widthPx} value={width} onChange={(value) => setWidth(Number(value))} />
      <NumberInput {...limits} label={words.heightPx} value={height} onChange={(value) => setHeight(Number(value))} />
      <Button type="submit" size="xs" variant="default" disabled={isFull}>
        {words.addScreen}
      </Button>
    </form>
  );
}
