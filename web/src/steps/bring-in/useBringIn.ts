import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { bringIn, bringInRevision, type Sending } from '../../api/calls';
import { useBringIn as words } from './words';

interface Upload {
  name: string;
  share: number;
}

/** What goes on its way together, and how it is called meanwhile. */
export interface Parcel extends Sending {
  /** The illustration that it is a new revision of. */
  revisionOf?: number;
}

/** The server's own limit, told before anything is sent. */
const MOST_BYTES = 2 * 1024 ** 3;

const nameOf = ({ files, together }: Parcel) =>
  files.length === 1 ? (files[0]?.name ?? '') : words.files(together || words.looseImages, files.length);

/** Sending files to a project, one parcel after the other; answers what is on its way and how to send more. */
export function useBringIn(project: number) {
  const queries = useQueryClient();
  const [uploads, setUploads] = useState<Upload[]>([]);
  const refresh = async () => {
    const queryKey = ['illustrations', project];
    // A first list that is still on its way would be taken for a new one.
    await queries.cancelQueries({ queryKey });
    await queries.invalidateQueries({ queryKey });
    await queries.invalidateQueries({ queryKey: ['illustration'] });
  };
  /** Answers how many of the parcels arrived; what went wrong with the others is said. */
  const take = async (parcels: readonly Parcel[]): Promise<number> => {
    let arrived = 0;
    for (const parcel of parcels) setUploads((before) => [...before, { name: nameOf(parcel), share: 0 }]);
    for (const parcel of parcels) {
      const name = nameOf(parcel);
      const told = (share: number) =>
        setUploads((before) => before.map((one) => (one.name === name ? { ...one, share } : one)));
      try {
        const large = parcel.files.find((file) => file.size > MOST_BYTES);
        if (large) throw new Error(words.hasYupletTakesUp(large.name, large.size));
        if (parcel.revisionOf !== undefined) await bringInRevision(parcel.revisionOf, parcel, told);
        else {
          const made = await bringIn(project, parcel, told);
          if (made.state === 'ready') {
            const message = words.itIsAPackage(made.name);
            notifications.show({ autoClose: false, title: name, message });
          }
        }
        arrived += 1;
        await refresh();
      } catch (problem) {
        const { message } = problem as Error;
        notifications.show({ color: 'orange', autoClose: false, title: words.notBroughtIn, message });
      } finally {
        setUploads((before) => before.filter((one) => one.name !== name));
      }
    }
    return arrived;
  };
  return { uploads, take, refresh };
}
