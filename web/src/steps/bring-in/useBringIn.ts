import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { bringIn } from '../../api/calls';

interface Upload {
  name: string;
  share: number;
}

/** Sending files to a project, one after the other; answers what is on its way and how to send more. */
export function useBringIn(project: number, longest: number | null = null) {
  const queries = useQueryClient();
  const [uploads, setUploads] = useState<Upload[]>([]);
  const refresh = async () => {
    const queryKey = ['illustrations', project];
    // A first list that is still on its way would be taken for a new one.
    await queries.cancelQueries({ queryKey });
    await queries.invalidateQueries({ queryKey });
  };
  /** Answers how many of the files arrived; what went wrong with the others is said. */
  const take = async (files: readonly File[]): Promise<number> => {
    let arrived = 0;
    for (const { name } of files) setUploads((before) => [...before, { name, share: 0 }]);
    for (const file of files) {
      const told = (share: number) =>
        setUploads((before) => before.map((one) => (one.name === file.name ? { ...one, share } : one)));
      try {
        await bringIn(project, file, longest, told);
        arrived += 1;
        await refresh();
      } catch (problem) {
        const { message } = problem as Error;
        notifications.show({ color: 'orange', autoClose: false, title: 'Not brought in', message });
      } finally {
        setUploads((before) => before.filter((one) => one.name !== file.name));
      }
    }
    return arrived;
  };
  return { uploads, take, refresh };
}
