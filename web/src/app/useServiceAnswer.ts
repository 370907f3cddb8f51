import { notifications } from '@mantine/notifications';
import { useEffect } from 'react';
import { useSearchParams } from 'react-router';

const SENTENCES: Record<string, (service: string) => string> = {
  connected: (service) => `Your account is connected with ${service}. You can sign in with either.`,
  cancelled: () => 'Signing in was cancelled.',
  disabled: () => 'This account is disabled. Ask an administrator to enable it.',
  'no-account': (service) =>
    `No account here is connected with yours at ${service}. Sign in with a password and connect it in the account menu, or ask an administrator for an invitation.`,
  'name-taken': (service) =>
    `There is already an account with your name. If it is yours, sign in with its password and connect it with ${service} in the account menu.`,
  'name-refused': (service) =>
    `Your name at ${service} cannot be used here. Ask an administrator for an invitation, and connect that account.`,
  'belongs-to-another': (service) => `This account of ${service} is connected with another account here.`,
  'connected-already': (service) =>
    `Your account is connected with another account of ${service}. Disconnect it first.`,
};

/** Say once how signing in by the studio's service ended, where the address tells of it. */
export function useServiceAnswer(service: string | null | undefined) {
  const [asked, setAsked] = useSearchParams();
  const code = asked.get('service');
  useEffect(() => {
    if (!code || !service) return;
    const sentence = SENTENCES[code]?.(service) ?? `Signing in with ${service} did not work. Try again.`;
    notifications.show({ id: 'service', message: sentence, autoClose: code === 'connected' ? 6000 : false });
    setAsked(
      (before) => {
        before.delete('service');
        return before;
      },
      { replace: true },
    );
  }, [code, service, setAsked]);
}
