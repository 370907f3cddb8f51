import { Button, Group, Modal, NativeSelect, Text } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type Illustration, moveIllustration, useProjects } from '../../api/calls';
import { useSubmit } from '../../ui/useSubmit';
import { moveDialog as words } from './words';

interface Props {
  illustration: Illustration;
  /** Where it is. */
  project: number;
  onClose: () => void;
}

/** Another project for an illustration, of those that whoever is signed in may change. */
export function MoveDialog({ illustration, project, onClose }: Props) {
  const queries = useQueryClient();
  const others = (useProjects().data ?? []).filter((one) => one.id !== project && one.role !== 'viewer');
  const [chosen, setChosen] = useState('');
  const target = Number(chosen || others[0]?.id);
  const { submit, error, isWaiting } = useSubmit(async () => {
    await moveIllustration(illustration.id, target);
    for (const key of ['illustrations', 'projects']) await queries.invalidateQueries({ queryKey: [key] });
    onClose();
  });
  return (
    <Modal
      opened
      onClose={onClose}
      title={words.move(illustration.name)}
      closeButtonProps={{ 'aria-label': words.close }}
    >
      {others.length === 0 ? (
        <Text>{words.thereIsNoOtherProject}</Text>
      ) : (
        <form onSubmit={submit}>
          <NativeSelect
            label={words.toProject}
            description={words.itsRevisionsHandOvers}
            data={others.map(({ id, name }) => ({ value: String(id), label: name }))}
            value={String(target)}
            error={error}
            onChange={(event) => setChosen(event.currentTarget.value)}
            data-autofocus
          />
          <Group justify="flex-end" mt="md">
            <Button type="submit" loading={isWaiting}>
              {words.moveButton}
            </Button>
          </Group>
        </form>
      )}
    </Modal>
  );
}
