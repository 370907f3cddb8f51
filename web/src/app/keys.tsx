/** Keys: one press does what a button of the screen does; the button itself says which (`aria-keyshortcuts`). */
import { Checkbox, Modal } from '@mantine/core';
import { useLocalStorage } from '@mantine/hooks';
import { useEffect } from 'react';
import classes from '../ui/ui.module.css';

const KEYS: readonly (readonly [string, string])[] = [
  ['Enter', 'In the ledger: rename; while renaming: keep the name and rename the next'],
  ['Shift Enter', 'While renaming: keep the name and rename the previous'],
  ['Escape', 'While renaming: leave the name as it was; else: choose nothing'],
  ['↑ ↓', 'In the ledger: the row above or below; with Shift choose it as well'],
  ['← →', 'In the ledger: fold or unfold a group'],
  ['S', 'Show or hide'],
  ['A', 'Show alone, and all again'],
  ['I', 'Include or leave out'],
  ['K', 'Lock or unlock: a locked part is neither picked nor changed, and handed over all the same'],
  ['1 … 9', 'Of alternates, show the one with this number'],
  ['B', 'Many names at once, of what is chosen or of all parts'],
  ['V', 'Set the pivot of a part: click on the picture, or type the place'],
  ['C', 'At the joints: point at the part that carries the chosen one'],
  ['G', 'Put rows in a group; of one group, its members in its place'],
  ['D', 'Duplicate a part'],
  ['M', 'Mirror a part across the middle of the canvas'],
  ['R', 'Remove; its art stays in the original, and undo brings it back'],
  ['N', 'One nearer; with Shift to the front'],
  ['F', 'One farther; with Shift to the back'],
  ['T', 'The strip: all parts as small pictures from the back to the front'],
  ['O', 'Play and halt: the frames of an animated part, or the motion that is tried out'],
  ['L', 'Look for a name'],
  ['W', 'The whole picture'],
  ['P', 'True pixels'],
  ['Shift C P S L I', 'Take apart, by click: part, proposals, same colour, inside lines, island'],
  ['Shift D T R E', 'By outline: draw round, point to point, rectangle, ellipse'],
  ['Shift B M W', 'Brush, scribble, switch part'],
  ['↑ ↓', 'In the name of a part to be taken out: a larger or a smaller piece'],
  ['Ctrl Z', 'Undo; with Shift redo'],
  ['?', 'This list'],
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
  return (
    <Modal opened={isOpen} onClose={onClose} title="Keys" size="lg" closeButtonProps={{ 'aria-label': 'Close' }}>
      <table className={classes.keys}>
        <tbody>
          {KEYS.map(([key, what]) => (
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
        label="Single letters do something"
        description="Turn this off where letters arrive by accident, with speech input for example."
        checked={areOn}
        onChange={(event) => setOn(event.currentTarget.checked)}
      />
    </Modal>
  );
}
