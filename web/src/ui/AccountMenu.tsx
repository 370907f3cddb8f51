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
import { accountMenu as words } from './words';

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
          <Menu.Label>{words.theme}</Menu.Label>
          {(['light', 'dark', 'auto'] as const).map((scheme) => (
            <Menu.Item
              key={scheme}
              onClick={() => setColorScheme(scheme)}
              rightSection={colorScheme === scheme ? '✓' : undefined}
            >
              {{ light: words.day, dark: words.dim, auto: words.asTheSystem }[scheme]}
            </Menu.Item>
          ))}
          <Menu.Divider />
          <Menu.Item component={Link} to="/shelf">
            {words.myShelf}
          </Menu.Item>
          <Menu.Item component={Link} to="/queue">
            {words.queue}
          </Menu.Item>
          {user.is_administrator && (
            <Menu.Item component={Link} to="/accounts">
              {words.accounts}
            </Menu.Item>
          )}
          {user.is_administrator && (
            <Menu.Item component={Link} to="/audit">
              {words.auditLog}
            </Menu.Item>
          )}
          <Menu.Item onClick={() => setOpen(true)}>{words.changePassword}</Menu.Item>
          <Menu.Item onClick={() => setTwoStep(true)}>{words.twoStepSignIn}</Menu.Item>
          {isMenu && service && <ServiceItem name={service} />}
          <Menu.Item onClick={() => setListed(true)}>{words.mySessions}</Menu.Item>
          <Menu.Item onClick={leave}>{words.signOut}</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <Modal
        opened={isOpen}
        onClose={() => setOpen(false)}
        title={words.changePassword}
        closeButtonProps={{ 'aria-label': words.close }}
      >
        <PasswordForm onDone={() => setOpen(false)} />
      </Modal>
      <Modal
        opened={isListed}
        onClose={() => setListed(false)}
        size="lg"
        title={words.mySessions}
        closeButtonProps={{ 'aria-label': words.close }}
      >
        <Sessions />
      </Modal>
      <Modal
        opened={isTwoStep}
        onClose={() => setTwoStep(false)}
        title={words.twoStepSignIn}
        closeButtonProps={{ 'aria-label': words.close }}
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
    <Menu.Item onClick={() => attempt(leaveService)}>{words.disconnectFrom(name)}</Menu.Item>
  ) : (
    <Menu.Item onClick={() => attempt(() => goToService(true))}>{words.connectWith(name)}</Menu.Item>
  );
}

function PasswordForm({ onDone }: { onDone: () => void }) {
  const [old, setOld] = useState('');
  const [fresh, setFresh] = useState('');
  const { submit, error, isWaiting } = useSubmit(async () => {
    await changePassword(old, fresh);
    notifications.show({ message: words.thePasswordIsChangedOther });
    onDone();
  });
  return (
    <form onSubmit={submit}>
      <Stack>
        <PasswordInput
          label={words.oldPassword}
          required
          value={old}
          onChange={(event) => setOld(event.currentTarget.value)}
        />
        <PasswordInput
          label={words.newPasswordAtLeast10}
          required
          value={fresh}
          onChange={(event) => setFresh(event.currentTarget.value)}
        />
        <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
        <Group justify="flex-end">
          <Button type="submit" loading={isWaiting}>
            {words.changePassword}
          </Button>
        </Group>
      </Stack>
    </form>
  );
}
