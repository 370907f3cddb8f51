import { notifications } from '@mantine/notifications';
import { useEffect } from 'react';
import { useSearchParams } from 'react-router';
import { useServiceAnswer as words } from './words';

const SENTENCES: Record<string, (service: string) => string> = {
  connected: (service) => words.yourAccountIsConnected(service),
  cancelled: () => words.signingInWasCancelled,
  disabled: () => words.thisAccountIsDisabledAsk,
  'no-account': (service) => words.noAccountHereIsConnected(service),
  'name-taken': (service) => words.thereIsAlreadyAnAccount(service),
  'name-refused': (service) => words.yourNameAtCannot(service),
  'belongs-to-another': (service) => words.thisAccountOfIsConnected(service),
  'connected-already': (service) => words.yourAccountIsConnectedService(service),
};

/** Say once how signing in by the studio's service ended, where the address tells of it. */
export function useServiceAnswer(service: string | null | undefined) {
  const [asked, setAsked] = useSearchParams();
  const code = asked.get('service');
  useEffect(() => {
    if (!code || !service) return;
    const sentence = SENTENCES[code]?.(service) ?? words.signingInWithDidNot(service);
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
