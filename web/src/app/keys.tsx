/** Keys: one press does what a button of the screen does; the button itself says which (`aria-keyshortcuts`). */
import { Checkbox, Modal, Text, TextInput } from '@mantine/core';
import { useLocalStorage } from '@mantine/hooks';
import { useEffect, useState } from 'react';
import classes from '../ui/ui.module.css';

const KEYS: readonly (readonly [string, string])[] = [
  ['Enter or F2', 'Ledger: rename; while renaming: save and rename the next'],
  ['Shift Enter', 'While renaming: save and rename the previous'],
  ['Escape', 'Cancel renaming, or clear the selection'],
  ['↑ ↓', 'Ledger: go to the row above or below; with Shift, add it to the selection'],
  ['← →', 'Ledger: fold or unfold a group'],
  ['← ↑ → ↓', 'Picture: move the selected parts by 1 px; with Shift, by 10'],
  ['S', 'Show or hide'],
  ['A', 'Show alone, or show all again'],
  ['I', 'Include or leave out'],
  ['K', 'Lock or unlock; locked parts cannot be picked or changed, and are handed over'],
  ['1 … 9', 'Show alternate 1 to 9'],
  ['B', 'Rename many: the selection, or all parts'],
  ['V', 'Set the pivot of a part on the picture'],
  ['C', 'Joints: pick the parent on the picture'],
  ['G', 'Group, or ungroup one group'],
  ['D', 'Duplicate a part'],
  ['M', 'Mirror a part across the middle of the canvas'],
  ['R or Delete', 'Remove; undo restores it'],
  ['Ctrl A', 'Ledger: select all rows of the list'],
  ['N', 'Bring nearer; with Shift, to the front'],
  ['F', 'Send farther; with Shift, to the back'],
  ['T', 'Strip: all parts as small pictures, back to front'],
  ['O', 'Play or pause an animated part or a motion'],
  ['L', 'Find by name'],
  ['H', 'Hide or show the panel'],
  ['W', 'Whole picture'],
  ['P', '100 %'],
  ['Shift C P S L I', 'Take apart, click tools: part, proposals, same colour, inside lines, island'],
  ['Shift D T R E', 'Take apart, outline tools: draw round, point to point, rectangle, ellipse'],
  ['Shift B M W', 'Take apart, brush tools: brush, scribble, switch part'],
  ['↑ ↓', 'Part name: select a larger or smaller region'],
  ['Ctrl Z', 'Undo; with Shift, redo'],
  ['?', 'This list of keys'],
];

/** The name of a key press as `aria-keyshortcuts` writes it, or null where it belongs to the browser. */
function pressed(event: KeyboardEvent): string | null {
  if (event.altKey || event.key.length !== 1) return null;
  const key = event.key.toUpperCase();
  const isLetter = key.toLowerCase() !== key;
  const parts = [event.ctrlKey || event.metaKey ? 'Control' : '', event.shiftKey && isLetter ? 'Shift' : '', key];
  return parts.filter(Boolean).join('+');
}

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    target.closest(
      'input:not([type="radio"], [type="checkbox"]), textarea, select, [contenteditable], [role="dialog"]',
    ) !== null
  );
}

function useSingleKeys() {
  return useLocalStorage({ key: 'single-keys', defaultValue: true });
}

export function useKeys(): void {
  const [areOn] = useSingleKeys();
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent) => {
      const key = pressed(event);
      if (key === null || isTyping(event.target)) return;
      if (!areOn && !key.startsWith('Control+')) return;
      const target = [...document.querySelectorAll<HTMLElement>('[aria-keyshortcuts]')].find((element) =>
        element.getAttribute('aria-keyshortcuts')?.split(' ').includes(key),
      );
      if (!target) return;
      event.preventDefault();
      if (target instanceof HTMLInputElement) target.focus();
      else target.click();
    };
    window.addEventListener('keydown', onKeyDown);
    return () => window.removeEventListener('keydown', onKeyDown);
  }, [areOn]);
}

export function KeysList({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }) {
  const [areOn, setOn] = useSingleKeys();
  const [search, setSearch] = useState('');
  const wanted = search.trim().toLowerCase();
  const found = KEYS.filter((entry) => entry.join(' ').toLowerCase().includes(wanted));
  return (
    <Modal opened={isOpen} onClose={onClose} title="Keys" size="lg" closeButtonProps={{ 'aria-label': 'Close' }}>
      <TextInput
        size="xs"
        mb="sm"
        aria-label="Find a key"
        placeholder="Find a key"
        value={search}
        onChange={(event) => setSearch(event.currentTarget.value)}
        data-autofocus
      />
      {found.length === 0 && <Text>{`No key is described by '${search}'.`}</Text>}
      <table className={classes.keys}>
        <tbody>
          {found.map(([key, what]) => (
            <tr key={what}>
              <th scope="row">
                <kbd>{key}</kbd>
              </th>
              <td>{what}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Checkbox
        mt="md"
        label="Use single-letter keys"
        description="Turn off if letters arrive by accident, for example with speech input."
        checked={areOn}
        onChange={(event) => setOn(event.currentTarget.checked)}
      />
    </Modal>
  );
}
