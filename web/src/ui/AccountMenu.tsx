import { Button, Group, Menu, Modal, PasswordInput, Stack, Text, useMantineColorScheme } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { changePassword, goToService, leaveService, signOut, useService } from '../api/calls';
import type { Schemas } from '../api/client';
import { Sessions } from './Sessions';
import { TwoStep } from './TwoStep';
import { useSubmit } from './useSubmit';

export type SignedIn = Schemas['User'];

export function AccountMenu({ user }: { user: SignedIn }) {
  const queries = useQueryClient();
  const { colorScheme, setColorScheme } = useMantineColorScheme();
  const [isOpen, setOpen] = useState(false);
  const [isListed, setListed] = useState(false);
  const [isTwoStep, setTwoStep] = useState(false);
  const [isMenu, setMenu] = useState(false);
  const service = queries.getQueryData<Schemas['Session']>(['session'])?.service;
  const leave = async () => {
    await signOut();
    queries.setQueryData<Schemas['Session']>(['session'], (before) => before && { ...before, user: null });
    queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' });
  };
  return (
    <>
      <Menu position="bottom-end" opened={isMenu} onChange={setMenu}>
        <Menu.Target>
          <Button size="compact-sm" variant="default">
            {user.username}
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Label>Theme</Menu.Label>
          {(['light', 'dark', 'auto'] as const).map((scheme) => (
            <Menu.Item
              key={scheme}
              onClick={() => setColorScheme(scheme)}
              rightSection={colorScheme === scheme ? '✓' : undefined}
            >
              {{ light: 'Day', dark: 'Dim', auto: 'As the system' }[scheme]}
            </Menu.Item>
          ))}
          <Menu.Divider />
          <Menu.Item component={Link} to="/shelf">
            My shelf
          </Menu.Item>
          <Menu.Item component={Link} to="/queue">
            Queue
          </Menu.Item>
          {user.is_administrator && (
            <Menu.Item component={Link} to="/accounts">
              Accounts
            </Menu.Item>
          )}
          {user.is_administrator && (
            <Menu.Item component={Link} to="/audit">
              Audit log
            </Menu.Item>
          )}
          <Menu.Item onClick={() => setOpen(true)}>Change password</Menu.Item>
          <Menu.Item onClick={() => setTwoStep(true)}>Two-step sign-in</Menu.Item>
          {isMenu && service && <ServiceItem name={service} />}
          <Menu.Item onClick={() => setListed(true)}>My sessions</Menu.Item>
          <Menu.Item onClick={leave}>Sign out</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <Modal
        opened={isOpen}
        onClose={() => setOpen(false)}
        title="Change password"
        closeButtonProps={{ 'aria-label': 'Close' }}
      >
        <PasswordForm onDone={() => setOpen(false)} />
      </Modal>
      <Modal
        opened={isListed}
        onClose={() => setListed(false)}
        size="lg"
        title="My sessions"
        closeButtonProps={{ 'aria-label': 'Close' }}
      >
        <Sessions />
      </Modal>
      <Modal
        opened={isTwoStep}
        onClose={() => setTwoStep(false)}
        title="Two-step sign-in"
        closeButtonProps={{ 'aria-label': 'Close' }}
      >
        <TwoStep />
      </Modal>
    </>
  );
}

/** Connecting the account with the studio's sign-in service, or parting it from there. */
function ServiceItem({ name }: { name: string }) {
  const queries = useQueryClient();
  const state = useService(true);
  const attempt = async (does: () => Promise<unknown>) => {
    try {
      await does();
    } catch (problem) {
      notifications.show({ message: (problem as Error).message });
    }
    await queries.invalidateQueries({ queryKey: ['service'] });
  };
  if (!state.data) return null;
  return state.data.is_connected ? (
    <Menu.Item onClick={() => attempt(leaveService)}>Disconnect from {name}</Menu.Item>
  ) : (
    <Menu.Item onClick={() => attempt(() => goToService(true))}>Connect with {name}</Menu.Item>
  );
}

function PasswordForm({ onDone }: { onDone: () => void }) {
  const [old, setOld] = useState('');
  const [fresh, setFresh] = useState('');
  const { submit, error, isWaiting } = useSubmit(async () => {
    await changePassword(old, fresh);
    notifications.show({ message: 'The password is changed. Other sessions were signed out.' });
    onDone();
  });
  return (
    <form onSubmit={submit}>
      <Stack>
        <PasswordInput
          label="Old password"
          required
          value={old}
          onChange={(event) => setOld(event.currentTarget.value)}
        />
        <PasswordInput
          label="New password, at least 10 characters"
          required
          value={fresh}
          onChange={(event) => setFresh(event.currentTarget.value)}
        />
        <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
        <Group justify="flex-end">
          <Button type="submit" loading={isWaiting}>
            Change password
          </Button>
        </Group>
      </Stack>
    </form>
  );
}
