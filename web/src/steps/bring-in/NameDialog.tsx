import { Button, Group, Modal, TextInput } from '@mantine/core';
import { useState } from 'react';
import { useSubmit } from '../../ui/useSubmit';
import { nameDialog as words } from './words';

interface Props {
  title: string;
  /** What the button says. */
  action: string;
  /** The name of before; none for something new. */
  name?: string;
  onName: (name: string) => Promise<unknown>;
  onClose: () => void;
}

/** A name for a new project, or another one for a project or an illustration. */
export function NameDialog({ title, action, name: before = '', onName, onClose }: Props) {
  const [name, setName] = useState(before);
  const { submit, error, isWaiting } = useSubmit(async () => {
    await onName(name.trim());
    onClose();
  });
  return (
    <Modal opened onClose={onClose} title={title} closeButtonProps={{ 'aria-label': words.close }}>
      <form onSubmit={submit}>
        <TextInput
          label={words.name}
          required
          maxLength={120}
          value={name}
          error={error}
          onChange={(event) => setName(event.currentTarget.value)}
          onFocus={(event) => event.currentTarget.select()}
          data-autofocus
        />
        <Group justify="flex-end" mt="md">
          <Button type="submit" loading={isWaiting} disabled={!name.trim()}>
            {action}
          </Button>
        </Group>
      </form>
    </Modal>
  );
}
