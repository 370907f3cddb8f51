import { useLocalStorage, useViewportSize } from '@mantine/hooks';
import { type KeyboardEvent, type PointerEvent, useEffect, useState } from 'react';
import type { StepName } from './steps';
import classes from './Workspace.module.css';
import { panelEdge as words } from './words';

const [LEAST, MOST] = [320, 720];
const BY = 20;

const within = (width: number) => Math.min(MOST, Math.max(LEAST, Math.round(width)));

/** How wide it is unless somebody moves its edge: the picture has most of the window. */
function usual(window: number): number {
  return Math.min(640, Math.max(340, Math.round(0.265 * window)));
}

export interface PanelState {
  width: number;
  isFolded: boolean;
  columns: string;
  reset: () => void;
  setWidth: (width: number) => void;
  setFolded: (isFolded: boolean) => void;
}

/** How wide the panel of the step is, which is kept, and whether it is folded away; another step brings it back. */
export function usePanel(step: StepName): PanelState {
  const [kept, setWidth, reset] = useLocalStorage<number | null>({ key: 'panel-width', defaultValue: null });
  // Before it is measured it is 0.
  const window = useViewportSize().width || 1280;
  // Whatever the browser has kept.
  const width = within(Number(kept) || usual(window));
  const [isFolded, setFolded] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the step is what brings it back
  useEffect(() => setFolded(false), [step]);
  return {
    width,
    isFolded,
    columns: isFolded ? '0 12px minmax(0, 1fr)' : `min(${width}px, 60vw) 12px minmax(0, 1fr)`,
    reset,
    setWidth: (wanted) => setWidth(within(wanted)),
    setFolded,
  };
}

/** The edge of the panel: it is dragged or moved by arrow keys, and has the button that folds the panel away. */
export function PanelEdge({ panel }: { panel: PanelState }) {
  const { width, isFolded, setWidth, setFolded, reset } = panel;
  const drag = (event: PointerEvent<HTMLDivElement>) => {
    if (event.currentTarget.hasPointerCapture(event.pointerId)) setWidth(event.clientX);
  };
  const move = (event: KeyboardEvent) => {
    const steps = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (steps) setWidth(width + steps * BY);
  };
  return (
    <div className={classes.edge}>
      {!isFolded && (
        // biome-ignore lint/a11y/useSemanticElements: a rule cannot be moved
        <div
          role="separator"
          aria-orientation="vertical"
          aria-label={words.panelWidth}
          aria-valuemin={LEAST}
          aria-valuemax={MOST}
          aria-valuenow={width}
          tabIndex={0}
          className={classes.grip}
          onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
          onPointerMove={drag}
          onDoubleClick={reset}
          onKeyDown={move}
        />
      )}
      <button
        type="button"
        className={classes.fold}
        aria-expanded={!isFolded}
        aria-label={words.panel}
        aria-keyshortcuts="H"
        title={isFolded ? words.showPanelH : words.hidePanelH}
        onClick={() => setFolded(!isFolded)}
      >
        {isFolded ? '›' : '‹'}
      </button>
    </div>
  );
}
