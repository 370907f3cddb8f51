import { Button, NativeSelect, Popover, Stack } from '@mantine/core';
import type { ReactNode } from 'react';
import type { Ground } from './grounds';
import classes from './Pile.module.css';
import { pileBar as words } from './words';

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
  { value: 'grey', label: words.grey },
  { value: 'light', label: words.light },
  { value: 'dark', label: words.dark },
  { value: 'pattern', label: words.lined },
  { value: 'white', label: words.white },
  { value: 'black', label: words.black },
  { value: 'orange', label: words.orange },
];
const SHAPES = [
  { value: 'sharp', label: words.crisp },
  { value: 'pixels', label: words.asPixels },
];
const OUTLINED = [
  { value: 'chosen', label: words.selection },
  { value: 'all', label: words.allParts },
  { value: 'none', label: words.none },
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
        <Button size="compact-sm" variant="default" onClick={() => onZoom(1 / 1.5)} aria-label={words.zoomOut}>
          −
        </Button>
        <Button.GroupSection
          size="compact-sm"
          variant="default"
          className={classes.zoom}
          aria-label={words.zoom}
          data-testid="zoom"
        >
          {Math.round(zoom * 100)} %
        </Button.GroupSection>
        <Button size="compact-sm" variant="default" onClick={() => onZoom(1.5)} aria-label={words.zoomIn}>
          +
        </Button>
      </Button.Group>
      <Button size="compact-sm" variant="default" onClick={onWhole} aria-keyshortcuts="W">
        {words.wholePicture}
      </Button>
      <Button size="compact-sm" variant="default" className={classes.true} onClick={onTrue} aria-keyshortcuts="P">
        100 %
      </Button>
      {children}
      <span className={classes.gap} />
      <Popover position="bottom-end" trapFocus returnFocus>
        <Popover.Target>
          <Button size="compact-sm" variant="default">
            {words.display}
          </Button>
        </Popover.Target>
        <Popover.Dropdown>
          <Stack gap="xs" w={190}>
            <NativeSelect
              size="xs"
              label={words.outlines}
              data={OUTLINED}
              value={outlined}
              onChange={(event) => onOutlined(event.currentTarget.value as Outlined)}
            />
            <NativeSelect
              size="xs"
              label={words.background}
              data={GROUNDS}
              value={ground}
              onChange={(event) => onGround(event.currentTarget.value as Ground)}
            />
            {shapes && (
              <NativeSelect
                size="xs"
                label={words.vectorsWhenZoomedIn}
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
