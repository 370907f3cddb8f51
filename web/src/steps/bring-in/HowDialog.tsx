import { Button, Modal, Stack, Text, TextInput } from '@mantine/core';
import { useState } from 'react';
import { plural } from '../../ui/units';
import type { Parcel } from './useBringIn';

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
      title={isOne ? first?.name : plural(files.length, 'file')}
      closeButtonProps={{ 'aria-label': 'Close' }}
    >
      <Stack gap="xs">
        {!isOne && (
          <TextInput
            size="xs"
            label="Illustration name"
            maxLength={200}
            value={together}
            onChange={(event) => setTogether(event.currentTarget.value)}
          />
        )}
        {open && (
          <Choice
            label={`A new revision of ${open.name}`}
            what="Layers are matched with the existing parts. You review the result before anything changes."
            onClick={() => take({ files, together, revisionOf: open.id })}
          />
        )}
        {!isOne && (
          <>
            <Choice
              label="Parts of one picture"
              what="Each file is a part, each folder a group. A file named 'reference' shows their positions."
              onClick={() => take({ files, together, choices: { stack: 'parts' } })}
            />
            <Choice
              label="Frames of one animation"
              what="Each file is a frame, in the order of the numbers in the names."
              onClick={() => take({ files, together, choices: { stack: 'frames' } })}
            />
          </>
        )}
        <Choice
          label={isOne ? 'New illustration' : `${plural(files.length, 'illustration')} separately`}
          what="Each file becomes an illustration."
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
