import { Button, Group, Modal, Table, Text } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type InBin, restore, useBin } from '../../api/calls';
import { day } from '../../ui/units';
import { bin as words } from './words';

/** What was removed, by whom, and until when it can be restored. */
export function Bin() {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button size="compact-sm" variant="default" onClick={() => setOpen(true)}>
        {words.bin}
      </Button>
      <Modal
        opened={isOpen}
        onClose={() => setOpen(false)}
        size="xl"
        title={words.bin}
        closeButtonProps={{ 'aria-label': words.close }}
      >
        {isOpen && <Removed />}
      </Modal>
    </>
  );
}

function Removed() {
  const queries = useQueryClient();
  const bin = useBin();
  const [error, setError] = useState<string | null>(null);
  const back = async (one: InBin) => {
    try {
      await restore(one);
      setError(null);
      notifications.show({ message: words.isRestored(one.name) });
    } catch (problem) {
      setError((problem as Error).message);
    }
    for (const key of ['bin', 'projects', 'illustrations']) await queries.invalidateQueries({ queryKey: [key] });
  };
  if (bin.error) return <Text role="alert">{bin.error.message}</Text>;
  if (bin.data?.length === 0) return <Text>{words.theBinIsEmptyRemoved}</Text>;
  return (
    <>
      <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
      <Table>
        <Table.Thead>
          <Table.Tr>
            <Table.Th>{words.name}</Table.Th>
            <Table.Th>{words.removed}</Table.Th>
            <Table.Th>{words.keptUntil}</Table.Th>
            <Table.Th aria-label={words.restore} />
          </Table.Tr>
        </Table.Thead>
        <Table.Tbody>
          {bin.data?.map((one) => (
            <Table.Tr key={`${one.kind} ${one.id}`}>
              <Table.Td>
                {one.name}
                <Text size="xs" c="dimmed">
                  {one.kind === 'project' ? words.project : words.illustrationOf(one.project_name)}
                </Text>
              </Table.Td>
              <Table.Td>
                {day(one.removed_at)}
                {one.removed_by && words.by(one.removed_by)}
              </Table.Td>
              <Table.Td>{day(one.gone_at)}</Table.Td>
              <Table.Td>
                <Group justify="flex-end">
                  <Button
                    size="compact-xs"
                    variant="default"
                    aria-label={words.restoreName(one.name)}
                    onClick={() => back(one)}
                  >
                    {words.restore}
                  </Button>
                </Group>
              </Table.Td>
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
    </>
  );
}

/** Say that something went into the bin, and how it comes back. */
export function tellRemoved(name: string) {
  notifications.show({ message: words.isInTheBin(name) });
}
