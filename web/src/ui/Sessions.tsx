import { Button, Group, Stack, Text } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { endOtherSessions, endSession, useSessions } from '../api/calls';
import { moment } from './units';

/** Where one is signed in, and ending that. */
export function Sessions() {
  const queries = useQueryClient();
  const sessions = useSessions();
  const end = async (does: Promise<unknown>) => {
    await does.catch(() => undefined);
    await queries.invalidateQueries({ queryKey: ['sessions'] });
  };
  const found = sessions.data ?? [];
  return (
    <Stack gap="sm">
      {sessions.error && <Text role="alert">{sessions.error.message}</Text>}
      {found.map((one) => (
        <Group key={one.id} justify="space-between" wrap="nowrap" align="flex-start">
          <div>
            <Text fw={600}>
              {one.is_this ? 'This browser' : `From ${one.address}`}, since {moment(one.at)}
            </Text>
            <Text size="sm" c="dimmed" style={{ overflowWrap: 'anywhere' }}>
              {one.browser}
            </Text>
          </div>
          {!one.is_this && (
            <Button
              size="compact-sm"
              variant="default"
              style={{ flexShrink: 0 }}
              aria-label={`Sign out from ${one.address}, since ${moment(one.at)}`}
              onClick={() => end(endSession(one.id))}
            >
              Sign out
            </Button>
          )}
        </Group>
      ))}
      {found.length > 1 && (
        <Group justify="flex-end">
          <Button onClick={() => end(endOtherSessions())}>Sign out everywhere else</Button>
        </Group>
      )}
    </Stack>
  );
}
