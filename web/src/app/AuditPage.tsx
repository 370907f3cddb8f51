import { Button, Group, NativeSelect, Table, Text, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import { type Entry, useAudit } from '../api/calls';
import type { SignedIn } from '../ui/AccountMenu';
import { moment } from '../ui/units';
import { PlainPage } from './PlainPage';

const KINDS: Record<Entry['kind'], string> = {
  'sign-in': 'Signed in',
  'sign-in-failed': 'Sign-in failed',
  'sign-out': 'Signed out',
  password: 'Password',
  account: 'Account',
  member: 'Member',
  link: 'Link',
  'hand-over': 'Hand-over',
  download: 'Download',
  remove: 'Removed',
  restore: 'Restored',
  move: 'Moved',
};

/** Who did what, and from where, for an administrator. */
export function AuditPage({ user }: { user: SignedIn }) {
  const [kind, setKind] = useState<Entry['kind'] | ''>('');
  const [text, setText] = useState('');
  const [sought] = useDebouncedValue(text, 300);
  const audit = useAudit(kind, sought);
  const entries = audit.data?.pages.flat() ?? [];
  return (
    <PlainPage title="Audit log" user={user}>
      <Text c="dimmed">
        Sign-ins, downloads, hand-overs, removals and invitations. The same entries are in logs/audit.jsonl on the
        server.
      </Text>
      <Group gap="xs" align="end">
        <NativeSelect
          label="Action"
          value={kind}
          onChange={(event) => setKind(event.currentTarget.value as Entry['kind'] | '')}
          data={[
            { value: '', label: 'All actions' },
            ...Object.entries(KINDS).map(([value, label]) => ({ value, label })),
          ]}
        />
        <TextInput
          label="Search accounts, addresses and details"
          w={320}
          value={text}
          onChange={(event) => setText(event.currentTarget.value)}
        />
      </Group>
      {audit.error && <Text role="alert">{audit.error.message}</Text>}
      {audit.data && entries.length === 0 && <Text>No entries match.</Text>}
      {entries.length > 0 && (
        <Table aria-label="Audit log" verticalSpacing={4}>
          <Table.Thead>
            <Table.Tr>
              <Table.Th>When</Table.Th>
              <Table.Th>Account</Table.Th>
              <Table.Th>Action</Table.Th>
              <Table.Th>Details</Table.Th>
              <Table.Th>Address</Table.Th>
            </Table.Tr>
          </Table.Thead>
          <Table.Tbody>
            {entries.map((entry) => (
              <Table.Tr key={entry.id}>
                <Table.Td style={{ whiteSpace: 'nowrap' }}>{moment(entry.at)}</Table.Td>
                <Table.Td>{entry.account || '(none)'}</Table.Td>
                <Table.Td>{KINDS[entry.kind]}</Table.Td>
                <Table.Td style={{ overflowWrap: 'anywhere' }}>{entry.about}</Table.Td>
                <Table.Td>{entry.address || '(on the server)'}</Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      )}
      {audit.hasNextPage && (
        <Button variant="default" loading={audit.isFetchingNextPage} onClick={() => audit.fetchNextPage()}>
          Show earlier entries
        </Button>
      )}
    </PlainPage>
  );
}
