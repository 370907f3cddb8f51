import { useLocalStorage } from '@mantine/hooks';
import { type KeyboardEvent, type PointerEvent, useEffect, useState } from 'react';
import type { StepName } from './steps';
import classes from './Workspace.module.css';

const [LEAST, USUAL, MOST] = [320, 420, 720];
const BY = 20;

const within = (width: number) => Math.min(MOST, Math.max(LEAST, Math.round(width)));

export interface PanelState {
  width: number;
  isFolded: boolean;
  columns: string;
  setWidth: (width: number) => void;
  setFolded: (isFolded: boolean) => void;
}

/** How wide the panel of the step is, which is kept, and whether it is folded away; another step brings it back. */
export function usePanel(step: StepName): PanelState {
  const [kept, setWidth] = useLocalStorage({ key: 'panel-width', defaultValue: USUAL });
  // Whatever the browser has kept.
  const width = within(Number(kept) || USUAL);
  const [isFolded, setFolded] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the step is what brings it back
  useEffect(() => setFolded(false), [step]);
  return {
    width,
    isFolded,
    columns: isFolded ? '0 12px minmax(0, 1fr)' : `min(${width}px, 60vw) 12px minmax(0, 1fr)`,
    setWidth: (wanted) => setWidth(within(wanted)),
    setFolded,
  };
}

/** The edge of the panel: it is dragged or moved by arrow keys, and has the button that folds the panel away. */
export function PanelEdge({ panel }: { panel: PanelState }) {
  const { width, isFolded, setWidth, setFolded } = panel;
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
          aria-label="Panel width"
          aria-valuemin={LEAST}
          aria-valuemax={MOST}
          aria-valuenow={width}
          tabIndex={0}
          className={classes.grip}
          onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
          onPointerMove={drag}
          onDoubleClick={() => setWidth(USUAL)}
          onKeyDown={move}
        />
      )}
      <button
        type="button"
        className={classes.fold}
        aria-expanded={!isFolded}
        aria-label="Panel"
        aria-keyshortcuts="H"
        title={isFolded ? 'Show panel (H)' : 'Hide panel (H)'}
        onClick={() => setFolded(!isFolded)}
      >
        {isFolded ? '›' : '‹'}
      </button>
    </div>
  );
}
