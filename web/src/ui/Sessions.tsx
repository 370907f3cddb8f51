import { Button, Group, Stack, Text } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { endOtherSessions, endSession, useSessions } from '../api/calls';
import { sessions as words } from './words';

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
            <Text fw={600}>{words.since(one.is_this ? words.thisBrowser : words.from(one.address), one.at)}</Text>
            <Text size="sm" c="dimmed" style={{ overflowWrap: 'anywhere' }}>
              {one.browser}
            </Text>
          </div>
          {!one.is_this && (
            <Button
              size="compact-sm"
              variant="default"
              style={{ flexShrink: 0 }}
              aria-label={words.signOutFromSince(one.address, one.at)}
              onClick={() => end(endSession(one.id))}
            >
              {words.signOut}
            </Button>
          )}
        </Group>
      ))}
      {found.length > 1 && (
        <Group justify="flex-end">
          <Button onClick={() => end(endOtherSessions())}>{words.signOutEverywhereElse}</Button>
        </Group>
      )}
    </Stack>
  );
}
