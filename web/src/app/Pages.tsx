import { Center, Loader, Text } from '@mantine/core';
import { Navigate, Route, Routes, useParams } from 'react-router';
import { useSession } from '../api/calls';
import { ProjectsPage } from '../steps/bring-in/ProjectsPage';
import { QueuePage } from './QueuePage';
import { SignInPage } from './SignInPage';
import { Workspace } from './Workspace';

export function Pages() {
  const session = useSession();
  if (session.isPending)
    return (
      <Center h="100%">
        <Loader role="status" aria-label="Loading" />
      </Center>
    );
  if (session.error)
    return (
      <Center h="100%" p="xl">
        <Text role="alert">{session.error.message}</Text>
      </Center>
    );
  if (!session.data.user) return <SignInPage />;
  return (
    <Routes>
      <Route path="/" element={<ProjectsPage user={session.data.user.username} />} />
      <Route path="/queue" element={<QueuePage user={session.data.user.username} />} />
      <Route path="/illustrations/:illustration/:step" element={<WorkspaceOf user={session.data.user.username} />} />
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  );
}

/** One workspace for each illustration: nothing of one is carried over to another. */
function WorkspaceOf({ user }: { user: string }) {
  const { illustration, step } = useParams();
  return <Workspace key={illustration} illustration={Number(illustration)} step={step ?? ''} user={user} />;
}
