import { Button, Group, Modal, Table, Text } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import {
  type Account,
  type AccountChange,
  changeAccount,
  invite,
  letSetPassword,
  type MadeLink,
  removeAccount,
  useAccounts,
} from '../api/calls';
import type { SignedIn } from '../ui/AccountMenu';
import { GivenLink } from '../ui/GivenLink';
import { bytes, count, day } from '../ui/units';
import { PlainPage } from './PlainPage';

/** All accounts, for an administrator: asking people in, new passwords, disabling and removing. */
export function AccountsPage({ user }: { user: SignedIn }) {
  const queries = useQueryClient();
  const accounts = useAccounts();
  const [given, setGiven] = useState<{ link: MadeLink; what: string } | null>(null);
  const [removing, setRemoving] = useState<Account | null>(null);
  const [error, setError] = useState<string | null>(null);
  const attempt = async (change: () => Promise<unknown>) => {
    setError(null);
    setGiven(null);
    try {
      await change();
    } catch (problem) {
      setError((problem as Error).message);
    }
    await queries.invalidateQueries({ queryKey: ['accounts'] });
    await queries.invalidateQueries({ queryKey: ['session'] });
  };
  const ask = (isAdministrator: boolean) =>
    attempt(async () =>
      setGiven({
        link: await invite(isAdministrator),
        what: isAdministrator
          ? 'Give this link to the new administrator. It creates an account.'
          : 'Give this link to the new person. It creates an account.',
      }),
    );
  return (
    <PlainPage title="Accounts" user={user}>
      <Text c="dimmed">
        Everybody who can sign in. The work of a removed account stays. The owners of a project decide who is a member.
      </Text>
      <Group gap="xs">
        <Button onClick={() => ask(false)}>Invite somebody</Button>
        <Button variant="default" onClick={() => ask(true)}>
          Invite an administrator
        </Button>
      </Group>
      {given && <GivenLink {...given} />}
      <div role="alert">
        {(error ?? accounts.error) && <Text c="var(--mantine-color-error)">{error ?? accounts.error?.message}</Text>}
      </div>
      {accounts.data && (
        <Table aria-label="Accounts" verticalSpacing="xs">
          <Table.Thead>
            <Table.Tr>
              <Table.Th>Account</Table.Th>
              <Table.Th>Projects</Table.Th>
              <Table.Th>Their files</Table.Th>
              <Table.Th>Last signed in</Table.Th>
              <Table.Th>Change</Table.Th>
            </Table.Tr>
          </Table.Thead>
          <Table.Tbody>
            {accounts.data.map((account) => (
              <AccountRow
                key={account.id}
                account={account}
                onChange={(change) => attempt(() => changeAccount(account.id, change))}
                onPassword={() =>
                  attempt(async () =>
                    setGiven({
                      link: await letSetPassword(account.id),
                      what: `Give this link to ${account.username}. It sets a new password.`,
                    }),
                  )
                }
                onRemove={() => setRemoving(account)}
              />
            ))}
          </Table.Tbody>
        </Table>
      )}
      <Modal
        opened={removing !== null}
        onClose={() => setRemoving(null)}
        title={`Remove the account ${removing?.username ?? ''}`}
        closeButtonProps={{ 'aria-label': 'Close' }}
      >
        <Text mb="md">
          This cannot be undone. The work of this account stays, its shelf is removed. To keep somebody out for a while,
          disable the account instead.
        </Text>
        <Group justify="flex-end">
          <Button variant="default" onClick={() => setRemoving(null)}>
            Keep account
          </Button>
          <Button
            color="red"
            onClick={() => {
              if (removing) void attempt(() => removeAccount(removing.id));
              setRemoving(null);
            }}
          >
            Remove
          </Button>
        </Group>
      </Modal>
    </PlainPage>
  );
}

interface RowProps {
  account: Account;
  onChange: (change: AccountChange) => void;
  onPassword: () => void;
  onRemove: () => void;
}

function AccountRow({ account, onChange, onPassword, onRemove }: RowProps) {
  const { username, is_active, is_administrator, has_two_steps, projects, bytes: size, last_seen } = account;
  return (
    <Table.Tr data-account={username}>
      <Table.Td>
        <strong>{username}</strong>
        {is_administrator && ', administrator'}
        {has_two_steps && ', two-step'}
        {!is_active && ', disabled'}
      </Table.Td>
      <Table.Td>{count(projects)}</Table.Td>
      <Table.Td>{bytes(size)}</Table.Td>
      <Table.Td>{last_seen ? day(last_seen) : 'never'}</Table.Td>
      <Table.Td>
        <Group gap={6}>
          <Button size="compact-xs" variant="default" onClick={onPassword}>
            New password
          </Button>
          <Button size="compact-xs" variant="default" onClick={() => onChange({ is_administrator: !is_administrator })}>
            {is_administrator ? 'End administrator role' : 'Make administrator'}
          </Button>
          {has_two_steps && (
            <Button size="compact-xs" variant="default" onClick={() => onChange({ has_two_steps: false })}>
              Turn two-step off
            </Button>
          )}
          <Button size="compact-xs" variant="default" onClick={() => onChange({ is_active: !is_active })}>
            {is_active ? 'Disable' : 'Enable'}
          </Button>
          <Button size="compact-xs" variant="default" onClick={onRemove}>
            Remove
          </Button>
        </Group>
      </Table.Td>
    </Table.Tr>
  );
}
