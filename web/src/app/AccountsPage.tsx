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
import { accountsPage as words } from './words';

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
        what: isAdministrator ? words.giveThisLink : words.giveThisLinkTo,
      }),
    );
  return (
    <PlainPage title={words.accounts} user={user}>
      <Text c="dimmed">{words.everybodyWhoCanSign}</Text>
      <Group gap="xs">
        <Button onClick={() => ask(false)}>{words.inviteSomebody}</Button>
        <Button variant="default" onClick={() => ask(true)}>
          {words.inviteAnAdministrator}
        </Button>
      </Group>
      {given && <GivenLink {...given} />}
      <div role="alert">
        {(error ?? accounts.error) && <Text c="var(--mantine-color-error)">{error ?? accounts.error?.message}</Text>}
      </div>
      {accounts.data && (
        <Table aria-label={words.accounts} verticalSpacing="xs">
          <Table.Thead>
            <Table.Tr>
              <Table.Th>{words.account}</Table.Th>
              <Table.Th>{words.projects}</Table.Th>
              <Table.Th>{words.theirFiles}</Table.Th>
              <Table.Th>{words.lastSignedIn}</Table.Th>
              <Table.Th>{words.change}</Table.Th>
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
                      what: words.giveThisLinkUsername(account.username),
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
        title={words.removeTheAccount(removing?.username ?? '')}
        closeButtonProps={{ 'aria-label': words.close }}
      >
        <Text mb="md">{words.thisCannotBeUndone}</Text>
        <Group justify="flex-end">
          <Button variant="default" onClick={() => setRemoving(null)}>
            {words.keepAccount}
          </Button>
          <Button
            color="red"
            onClick={() => {
              if (removing) void attempt(() => removeAccount(removing.id));
              setRemoving(null);
            }}
          >
            {words.remove}
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
        {is_administrator && words.isAdministrator}
        {has_two_steps && words.hasTwoSteps}
        {!is_active && words.isDisabled}
      </Table.Td>
      <Table.Td>{count(projects)}</Table.Td>
      <Table.Td>{bytes(size)}</Table.Td>
      <Table.Td>{last_seen ? day(last_seen) : words.never}</Table.Td>
      <Table.Td>
        <Group gap={6}>
          <Button size="compact-xs" variant="default" onClick={onPassword}>
            {words.newPassword}
          </Button>
          <Button size="compact-xs" variant="default" onClick={() => onChange({ is_administrator: !is_administrator })}>
            {is_administrator ? words.endAdministratorRole : words.makeAdministrator}
          </Button>
          {has_two_steps && (
            <Button size="compact-xs" variant="default" onClick={() => onChange({ has_two_steps: false })}>
              {words.turnTwoStepOff}
            </Button>
          )}
          <Button size="compact-xs" variant="default" onClick={() => onChange({ is_active: !is_active })}>
            {is_active ? words.disable : words.enable}
          </Button>
          <Button size="compact-xs" variant="default" onClick={onRemove}>
            {words.remove}
          </Button>
        </Group>
      </Table.Td>
    </Table.Tr>
  );
}
