import { Center, Loader, Text } from '@mantine/core';
import { Navigate, Route, Routes, useParams } from 'react-router';
import { useSession } from '../api/calls';
import { ProjectsPage } from '../steps/bring-in/ProjectsPage';
import type { SignedIn } from '../ui/AccountMenu';
import { AccountsPage } from './AccountsPage';
import { AuditPage } from './AuditPage';
import { ComeInPage } from './ComeInPage';
import { QueuePage } from './QueuePage';
import { ReceivePage } from './ReceivePage';
import { ShelfPage } from './ShelfPage';
import { SignInPage } from './SignInPage';
import { useServiceAnswer } from './useServiceAnswer';
import { Workspace } from './Workspace';
import { pages as words } from './words';

export function Pages() {
  const session = useSession();
  useServiceAnswer(session.data?.service);
  if (session.isPending)
    return (
      <Center h="100%">
        <Loader role="status" aria-label={words.loading} />
      </Center>
    );
  if (session.error)
    return (
      <Center h="100%" p="xl">
        <Text role="alert">{session.error.message}</Text>
      </Center>
    );
  const { user } = session.data;
  if (!user)
    return (
      <Routes>
        <Route path="/come-in/:token" element={<ComeInPage user={null} />} />
        <Route path="/receive/:token" element={<ReceivePage />} />
        <Route path="*" element={<SignInPage />} />
      </Routes>
    );
  return (
    <Routes>
      <Route path="/" element={<ProjectsPage user={user} />} />
      <Route path="/shelf" element={<ShelfPage user={user} />} />
      <Route path="/queue" element={<QueuePage user={user} />} />
      {user.is_administrator && <Route path="/accounts" element={<AccountsPage user={user} />} />}
      {user.is_administrator && <Route path="/audit" element={<AuditPage user={user} />} />}
      <Route path="/come-in/:token" element={<ComeInPage user={user.username} />} />
      <Route path="/receive/:token" element={<ReceivePage />} />
      <Route path="/illustrations/:illustration/:step" element={<WorkspaceOf user={user} />} />
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  );
}

/** One workspace for each illustration: nothing of one is carried over to another. */
function WorkspaceOf({ user }: { user: SignedIn }) {
  const { illustration, step } = useParams();
  return <Workspace key={illustration} illustration={Number(illustration)} step={step ?? ''} user={user} />;
}
