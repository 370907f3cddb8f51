import { Text } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { askShelf, removeFromShelf, shelfKey } from '../api/shelf';
import type { SignedIn } from '../ui/AccountMenu';
import { KeptList } from '../ui/KeptList';
import { PlainPage } from './PlainPage';
import { shelfPage as words } from './words';

/** What one keeps for all projects: to look at and to tidy up. It is used where an illustration is open. */
export function ShelfPage({ user }: { user: SignedIn }) {
  const queries = useQueryClient();
  const kept = useQuery({ queryKey: shelfKey, queryFn: askShelf });
  return (
    <PlainPage title={words.myShelf} user={user}>
      <Text c="dimmed" mb="md">
        {words.onlyYouSee}
      </Text>
      {kept.error && <Text role="alert">{kept.error.message}</Text>}
      {kept.data?.length === 0 && <Text>{words.nothingIsOnYourShelf}</Text>}
      <KeptList
        kept={kept.data ?? []}
        canEdit
        onUse={null}
        onRemove={async (one) => {
          try {
            await removeFromShelf(one.id);
          } catch (problem) {
            notifications.show({ color: 'red', message: (problem as Error).message });
          }
          await queries.invalidateQueries({ queryKey: shelfKey });
        }}
      />
    </PlainPage>
  );
}
