import { type FormEvent, useState } from 'react';

/** What a form does that is answered by the server: it waits, and shows why it was refused. */
export function useSubmit(send: () => Promise<void>) {
  const [error, setError] = useState<string | null>(null);
  const [isWaiting, setWaiting] = useState(false);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setWaiting(true);
    try {
      await send();
    } catch (problem) {
      setError((problem as Error).message);
    } finally {
      setWaiting(false);
    }
  };
  return { submit, error, isWaiting };
}
