/** Keys: one press does what a button of the screen does; the button itself says which (`aria-keyshortcuts`). */

import { Checkbox, Modal, Text, TextInput } from '@mantine/core';
import { useLocalStorage } from '@mantine/hooks';
import { useEffect, useState } from 'react';
import classes from '../ui/ui.module.css';
import { keys as words } from './words';

const KEYS: readonly (readonly [string, string])[] = [
  [words.enterOrF2, words.ledgerRenameWhileRenamingSave],
  [words.shiftEnter, words.whileRenamingSaveAndRename],
  ['Escape', words.cancelRenamingOrClear],
  ['↑ ↓', words.ledgerGoToTheRow],
  ['← →', words.ledgerFoldOrUnfold],
  ['← ↑ → ↓', words.pictureMoveTheSelectedParts],
  ['S', words.showOrHide],
  ['A', words.showAloneOrShowAll],
  ['I', words.includeOrLeaveOut],
  ['K', words.lockOrUnlockLockedParts],
  ['1 … 9', words.showAlternate1To9],
  ['B', words.renameManyTheSelection],
  ['V', words.setThePivot],
  ['C', words.jointsPickTheParent],
  ['G', words.groupOrUngroupOneGroup],
  ['D', words.duplicateAPart],
  ['M', words.mirrorAPartAcross],
  [words.rOrDelete, words.removeUndoRestoresIt],
  [words.ctrlA, words.ledgerSelectAllRows],
  ['N', words.bringNearerWithShift],
  ['F', words.sendFartherWithShift],
  ['T', words.stripAllPartsAsSmall],
  ['O', words.playOrPauseAnAnimated],
  ['L', words.findByName],
  ['H', words.hideOrShowThePanel],
  ['W', words.wholePicture],
  ['P', '100 %'],
  [words.shiftCPSL, words.takeApartClickToolsPart],
  [words.shiftDTRE, words.takeApartOutlineToolsDraw],
  [words.shiftBMW, words.takeApartBrushToolsBrush],
  ['↑ ↓', words.partNameSelectALarger],
  [words.ctrlZ, words.undoWithShiftRedo],
  ['?', words.thisListOfKeys],
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
    <Modal
      opened={isOpen}
      onClose={onClose}
      title={words.keys}
      size="lg"
      closeButtonProps={{ 'aria-label': words.close }}
    >
      <TextInput
        size="xs"
        mb="sm"
        aria-label={words.findAKey}
        placeholder={words.findAKey}
        value={search}
        onChange={(event) => setSearch(event.currentTarget.value)}
        data-autofocus
      />
      {found.length === 0 && <Text>{words.noKeyIsDescribedBy(search)}</Text>}
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
        label={words.toUseSingleLetterKeys}
        description={words.turnOffIfLettersArrive}
        checked={areOn}
        onChange={(event) => setOn(event.currentTarget.checked)}
      />
    </Modal>
  );
}
