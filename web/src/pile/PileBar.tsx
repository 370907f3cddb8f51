import { Button, NativeSelect } from '@mantine/core';
import type { Ground } from './grounds';
import classes from './Pile.module.css';

/** How vector art is shown when it is larger than its pixels. */
export type Shapes = 'sharp' | 'pixels';
export type Outlined = 'chosen' | 'all' | 'none';

interface Props {
  zoom: number;
  ground: Ground;
  outlined: Outlined;
  /** Null where there is no vector art. */
  shapes: Shapes | null;
  onGround: (ground: Ground) => void;
  onOutlined: (outlined: Outlined) => void;
  onShapes: (shapes: Shapes) => void;
  onWhole: () => void;
  onTrue: () => void;
  onZoom: (factor: number) => void;
}

const GROUNDS = [
  { value: 'grey', label: 'Grey ground' },
  { value: 'light', label: 'Light ground' },
  { value: 'dark', label: 'Dark ground' },
  { value: 'pattern', label: 'Lined ground' },
  { value: 'white', label: 'White ground' },
  { value: 'black', label: 'Black ground' },
  { value: 'orange', label: 'Orange ground' },
];
const SHAPES = [
  { value: 'sharp', label: 'Shapes sharp' },
  { value: 'pixels', label: 'Shapes in pixels' },
];
const OUTLINED = [
  { value: 'chosen', label: 'Outlines of what is chosen' },
  { value: 'all', label: 'Outlines of all parts' },
  { value: 'none', label: 'No outlines' },
];

/** How large the pile is, what lies behind it, and which outlines are drawn. */
export function PileBar({
  zoom,
  ground,
  outlined,
  shapes,
  onGround,
  onOutlined,
  onShapes,
  onWhole,
  onTrue,
  onZoom,
}: Props) {
  return (
    <div className={classes.bar}>
      <Button.Group>
        <Button size="compact-sm" variant="default" onClick={() => onZoom(1 / 1.5)} aria-label="Zoom out">
          −
        </Button>
        <Button.GroupSection
          size="compact-sm"
          variant="default"
          className={classes.zoom}
          aria-label="Zoom"
          data-testid="zoom"
        >
          {Math.round(zoom * 100)} %
        </Button.GroupSection>
        <Button size="compact-sm" variant="default" onClick={() => onZoom(1.5)} aria-label="Zoom in">
          +
        </Button>
      </Button.Group>
      <Button size="compact-sm" variant="default" onClick={onWhole} aria-keyshortcuts="W">
        Whole picture
      </Button>
      <Button size="compact-sm" variant="default" onClick={onTrue} aria-keyshortcuts="P">
        True pixels
      </Button>
      <span className={classes.gap} />
      {shapes && (
        <NativeSelect
          size="xs"
          aria-label="Shapes when enlarged"
          data={SHAPES}
          value={shapes}
          onChange={(event) => onShapes(event.currentTarget.value as Shapes)}
        />
      )}
      <NativeSelect
        size="xs"
        aria-label="Outlines"
        data={OUTLINED}
        value={outlined}
        onChange={(event) => onOutlined(event.currentTarget.value as Outlined)}
      />
      <NativeSelect
        size="xs"
        aria-label="Ground"
        data={GROUNDS}
        value={ground}
        onChange={(event) => onGround(event.currentTarget.value as Ground)}
      />
    </div>
  );
}
