import { Button, Modal, Stack, Text, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Parcel } from './useBringIn';
import { howDialog as words } from './words';

interface Props {
  files: readonly File[];
  /** The illustration that is open, of which a file may be a new revision. */
  open?: { id: number; name: string };
  onTake: (parcels: readonly Parcel[]) => void;
  onClose: () => void;
}

/** Whether it must be asked what files are: several may belong together, and one may be a new revision. */
export const mustAsk = (files: readonly File[], open: unknown) => files.length > 1 || open !== undefined;

/** Asks what files are to each other and to what is open. */
export function HowDialog({ files, open, onTake, onClose }: Props) {
  const [together, setTogether] = useState(folderOf(files));
  const take = (...parcels: Parcel[]) => {
    onClose();
    onTake(parcels);
  };
  const [first] = files;
  const isOne = files.length === 1;
  return (
    <Modal
      opened
      onClose={onClose}
      title={isOne ? first?.name : words.fileCount(files.length)}
      closeButtonProps={{ 'aria-label': words.close }}
    >
      <Stack gap="xs">
        {!isOne && (
          <TextInput
            size="xs"
            label={words.illustrationName}
            maxLength={200}
            value={together}
            onChange={(event) => setTogether(event.currentTarget.value)}
          />
        )}
        {open && (
          <Choice
            label={words.aNewRevisionOf(open.name)}
            what={words.layersAreMatched}
            onClick={() => take({ files, together, revisionOf: open.id })}
          />
        )}
        {!isOne && (
          <>
            <Choice
              label={words.partsOfOnePicture}
              what={words.eachFileIsAPart}
              onClick={() => take({ files, together, choices: { stack: 'parts' } })}
            />
            <Choice
              label={words.framesOfOneAnimation}
              what={words.eachFileIsAFrame}
              onClick={() => take({ files, together, choices: { stack: 'frames' } })}
            />
          </>
        )}
        <Choice
          label={isOne ? words.newIllustration : words.separately(files.length)}
          what={words.eachFileBecomesAnIllustration}
          onClick={() => take(...files.map((file) => ({ files: [file] })))}
        />
      </Stack>
    </Modal>
  );
}

function Choice({ label, what, onClick }: { label: string; what: string; onClick: () => void }) {
  return (
    <div>
      <Button variant="default" fullWidth justify="flex-start" onClick={onClick}>
        {label}
      </Button>
      <Text size="sm" c="dimmed" mt={2}>
        {what}
      </Text>
    </div>
  );
}

/** The folder that all files come from, else what their names begin with. */
function folderOf(files: readonly File[]): string {
  const folders = new Set(files.map((file) => file.webkitRelativePath.split('/')[0] ?? ''));
  const [only] = folders;
  if (folders.size === 1 && only) return only;
  const names = files.map((file) => file.name.replace(/\.[^.]*$/, ''));
  let common = names[0] ?? '';
  for (const name of names) while (!name.startsWith(common)) common = common.slice(0, -1);
  return common.replace(/[\s_.\-\d]+$/, '');
}
