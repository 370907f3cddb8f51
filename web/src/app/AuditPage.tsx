import { Button, Group, NativeSelect, Table, Text, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import { type Entry, useAudit } from '../api/calls';
import type { SignedIn } from '../ui/AccountMenu';
import { moment } from '../ui/units';
import { PlainPage } from './PlainPage';
import { auditPage as words } from './words';

const KINDS: Record<Entry['kind'], string> = {
  'sign-in': words.signedIn,
  'sign-in-failed': words.signInFailed,
  'sign-out': words.signedOut,
  password: words.password,
  account: words.account,
  member: words.member,
  link: words.link,
  'hand-over': words.handOver,
  download: words.download,
  remove: words.removed,
  restore: words.restored,
  move: words.moved,
};

/** Who did what, and from where, for an administrator. */
export function AuditPage({ user }: { user: SignedIn }) {
  const [kind, setKind] = useState<Entry['kind'] | ''>('');
  const [text, setText] = useState('');
  const [sought] = useDebouncedValue(text, 300);
  const audit = useAudit(kind, sought);
  const entries = audit.data?.pages.flat() ?? [];
  return (
    <PlainPage title={words.auditLog} user={user}>
      <Text c="dimmed">{words.signInsDownloadsHandOvers}</Text>
      <Group gap="xs" align="end">
        <NativeSelect
          label={words.action}
          value={kind}
          onChange={(event) => setKind(event.currentTarget.value as Entry['kind'] | '')}
          data={[
            { value: '', label: words.allActions },
            ...Object.entries(KINDS).map(([value, label]) => ({ value, label })),
          ]}
        />
        <TextInput
          label={words.searchAccountsAddressesAndDetails}
          w={320}
          value={text}
          onChange={(event) => setText(event.currentTarget.value)}
        />
      </Group>
      {audit.error && <Text role="alert">{audit.error.message}</Text>}
      {audit.data && entries.length === 0 && <Text>{words.noEntriesMatch}</Text>}
      {entries.length > 0 && (
        <Table aria-label={words.auditLog} verticalSpacing={4}>
          <Table.Thead>
            <Table.Tr>
              <Table.Th>{words.when}</Table.Th>
              <Table.Th>{words.account}</Table.Th>
              <Table.Th>{words.action}</Table.Th>
              <Table.Th>{words.details}</Table.Th>
              <Table.Th>{words.address}</Table.Th>
            </Table.Tr>
          </Table.Thead>
          <Table.Tbody>
            {entries.map((entry) => (
              <Table.Tr key={entry.id}>
                <Table.Td style={{ whiteSpace: 'nowrap' }}>{moment(entry.at)}</Table.Td>
                <Table.Td>{entry.account || words.noAccount}</Table.Td>
                <Table.Td>{KINDS[entry.kind]}</Table.Td>
                <Table.Td style={{ overflowWrap: 'anywhere' }}>{entry.about}</Table.Td>
                <Table.Td>{entry.address || words.onTheServer}</Table.Td>
              </Table.Tr>
            ))}
          </Table.Tbody>
        </Table>
      )}
      {audit.hasNextPage && (
        <Button variant="default" loading={audit.isFetchingNextPage} onClick={() => audit.fetchNextPage()}>
          {words.showEarlierEntries}
        </Button>
      )}
    </PlainPage>
  );
}
