import { Button, NativeSelect, Popover, Stack } from '@mantine/core';
import type { ReactNode } from 'react';
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
  /** In which way the pile is looked at. */
  children: ReactNode;
}

const GROUNDS = [
  { value: 'grey', label: 'Grey' },
  { value: 'light', label: 'Light' },
  { value: 'dark', label: 'Dark' },
  { value: 'pattern', label: 'Lined' },
  { value: 'white', label: 'White' },
  { value: 'black', label: 'Black' },
  { value: 'orange', label: 'Orange' },
];
const SHAPES = [
  { value: 'sharp', label: 'Crisp' },
  { value: 'pixels', label: 'As pixels' },
];
const OUTLINED = [
  { value: 'chosen', label: 'Selection' },
  { value: 'all', label: 'All parts' },
  { value: 'none', label: 'None' },
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
  children,
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
      <Button size="compact-sm" variant="default" className={classes.true} onClick={onTrue} aria-keyshortcuts="P">
        100 %
      </Button>
      {children}
      <span className={classes.gap} />
      <Popover position="bottom-end" trapFocus returnFocus>
        <Popover.Target>
          <Button size="compact-sm" variant="default">
            Display
          </Button>
        </Popover.Target>
        <Popover.Dropdown>
          <Stack gap="xs" w={190}>
            <NativeSelect
              size="xs"
              label="Outlines"
              data={OUTLINED}
              value={outlined}
              onChange={(event) => onOutlined(event.currentTarget.value as Outlined)}
            />
            <NativeSelect
              size="xs"
              label="Background"
              data={GROUNDS}
              value={ground}
              onChange={(event) => onGround(event.currentTarget.value as Ground)}
            />
            {shapes && (
              <NativeSelect
                size="xs"
                label="Vectors when zoomed in"
                data={SHAPES}
                value={shapes}
                onChange={(event) => onShapes(event.currentTarget.value as Shapes)}
              />
            )}
          </Stack>
        </Popover.Dropdown>
      </Popover>
    </div>
  );
}
