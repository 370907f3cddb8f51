import { Button, Group, NativeSelect, Table, Text, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { inviteInto, type MadeLink, type Project, type Role, removeMember, setRole, useMembers } from '../../api/calls';
import { GivenLink } from '../../ui/GivenLink';
import { members as words } from './words';

const ROLES: { value: Role; label: string }[] = [
  { value: 'viewer', label: words.viewerLooksAndDownloads },
  { value: 'editor', label: words.editorEditsAndHandsOver },
  { value: 'owner', label: words.ownerAlsoManagesMembers },
];

/** Who may do what in a project. */
export function Members({ project }: { project: Project }) {
  const queries = useQueryClient();
  const members = useMembers(project.id);
  const [name, setName] = useState('');
  const [role, setNewRole] = useState<Role>('editor');
  const [error, setError] = useState<string | null>(null);
  const [given, setGiven] = useState<MadeLink | null>(null);
  const isOwner = project.role === 'owner';
  const attempt = async (change: () => Promise<unknown>) => {
    setGiven(null);
    try {
      await change();
      setError(null);
      setName('');
    } catch (problem) {
      setError((problem as Error).message);
    }
    await queries.invalidateQueries({ queryKey: ['members', project.id] });
    await queries.invalidateQueries({ queryKey: ['projects'] });
  };
  return (
    <>
      <Table>
        <Table.Tbody>
          {members.data?.map((member) => (
            <Table.Tr key={member.user}>
              <Table.Td>{member.username}</Table.Td>
              <Table.Td>
                {isOwner ? (
                  <NativeSelect
                    size="xs"
                    aria-label={words.roleOf(member.username)}
                    value={member.role}
                    data={ROLES}
                    onChange={(event) =>
                      attempt(() => setRole(project.id, member.username, event.currentTarget.value as Role))
                    }
                  />
                ) : (
                  member.role
                )}
              </Table.Td>
              <Table.Td>
                {isOwner && (
                  <Button
                    size="compact-xs"
                    variant="default"
                    onClick={() => attempt(() => removeMember(project.id, member.user))}
                  >
                    {words.remove}
                  </Button>
                )}
              </Table.Td>
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
      <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
      {isOwner && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            void attempt(() => setRole(project.id, name, role));
          }}
        >
          <Group align="flex-end" mt="md">
            <TextInput
              label={words.account}
              required
              value={name}
              onChange={(event) => setName(event.currentTarget.value)}
            />
            <NativeSelect
              label={words.role}
              value={role}
              data={ROLES}
              onChange={(event) => setNewRole(event.currentTarget.value as Role)}
            />
            <Button type="submit">{words.add}</Button>
          </Group>
          <Text size="sm" c="dimmed" mt={4}>
            {words.addPeopleYouAlreadyShare}
          </Text>
          <Button
            mt="xs"
            variant="default"
            onClick={() => attempt(async () => setGiven(await inviteInto(project.id, role)))}
          >
            {words.inviteANew(role)}
          </Button>
        </form>
      )}
      {given && <GivenLink link={given} what={words.giveThisLink(project.name)} />}
    </>
  );
}
