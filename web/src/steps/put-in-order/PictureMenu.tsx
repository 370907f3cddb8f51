import { Button, Menu } from '@mantine/core';
import { useRef, useState } from 'react';
import type { Row } from '../../api/calls';
import { pictureMenu as words } from './words';

interface Props {
  row: Row | undefined;
  off: boolean;
  canSwap: boolean;
  onPicture: (file: File, row: string | null, instead: boolean) => void;
  onKeep: (row: Row) => void;
}

/** A picture from a file as a part, or instead of a part's own; and a part kept for other projects. */
export function PictureMenu({ row, off, canSwap, onPicture, onKeep }: Props) {
  const chooser = useRef<HTMLInputElement>(null);
  const [instead, setInstead] = useState(false);
  const ask = (swap: boolean) => {
    setInstead(swap);
    chooser.current?.click();
  };
  return (
    <>
      <input
        ref={chooser}
        type="file"
        accept="image/*"
        hidden
        data-testid="part-picture"
        onChange={(event) => {
          const [file] = event.currentTarget.files ?? [];
          event.currentTarget.value = '';
          if (file) onPicture(file, row?.id ?? null, instead);
        }}
      />
      <Menu position="top-start" withinPortal>
        <Menu.Target>
          <Button size="compact-sm" variant="default" disabled={off}>
            {words.picture}
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={() => ask(false)}>{words.addPictureAsPart}</Menu.Item>
          <Menu.Item disabled={!canSwap} onClick={() => ask(true)}>
            {words.swapThePictureOf(row?.name ?? words.aPart)}
          </Menu.Item>
          <Menu.Item disabled={row?.kind !== 'part' || row.frames.length !== 1} onClick={() => row && onKeep(row)}>
            {words.keepOnTheShelf}
          </Menu.Item>
        </Menu.Dropdown>
      </Menu>
    </>
  );
}
