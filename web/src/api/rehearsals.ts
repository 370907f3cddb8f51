/** Packages that are tried out: opened as their receiver would, put together and compared. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { isRunning, type Sending, sendOutside } from './calls';
import { body, client, refusalOf, type Schemas } from './client';

export type Rehearsal = Schemas['Rehearsal'];
export type Trial = Schemas['Trial'];
export type Reading = Schemas['ReadingRequest'];
export type Way = Schemas['WayEnum'];
export type Picture = 'together' | 'reference' | 'difference';
export type Laid = Schemas['Laid'];
export type LooseImage = Schemas['LooseImage'];
export type OnScreen = Schemas['Screen'];
export type ScreenFinding = Schemas['ScreenFinding'];
export type Proposal = Schemas['Proposal'];

const POLL = 250;

export function useRehearsals(illustration: number, isAsked: boolean) {
  const params = { path: { illustration } };
  return useQuery({
    queryKey: ['rehearsals', illustration],
    enabled: isAsked,
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/rehearsals', { params })),
  });
}

export function useRehearsal(rehearsal: number | null) {
  return useQuery({
    queryKey: ['rehearsal', rehearsal],
    enabled: rehearsal !== null,
    queryFn: () => body(client.GET('/api/rehearsals/{rehearsal}', { params: { path: { rehearsal: rehearsal ?? 0 } } })),
    refetchInterval: ({ state }) => (isRunning(state.data?.job) ? POLL : false),
  });
}

export const openHandOver = (illustration: number, hand_over: number) =>
  body(
    client.POST('/api/illustrations/{illustration}/rehearsals', {
      params: { path: { illustration } },
      body: { hand_over },
    }),
  );

export const openOutside = (illustration: number, files: readonly File[], onProgress: (share: number) => void) =>
  sendOutside<Rehearsal>(`/api/illustrations/${illustration}/rehearsals/outside`, together(files), onProgress);

/** Open a package again, and look for what is missing in some files too. */
export const lookForMissing = (rehearsal: number, files: readonly File[], onProgress: (share: number) => void) =>
  sendOutside<Rehearsal>(`/api/rehearsals/${rehearsal}/missing`, together(files), onProgress);

export const readInAnotherWay = (rehearsal: number, reading: Reading) =>
  body(client.PUT('/api/rehearsals/{rehearsal}', { params: { path: { rehearsal } }, body: reading }));

/** What is otherwise than in the hand-over before. */
export function useChanges(rehearsal: number) {
  return useQuery({
    queryKey: ['changes', rehearsal],
    queryFn: () => body(client.GET('/api/rehearsals/{rehearsal}/changes', { params: { path: { rehearsal } } })),
  });
}

/** Where each part lies on screens of these sizes ("1920x1080"), and what is wrong there. */
export function useScreensOf(rehearsal: Rehearsal | null, sizes: readonly string[]) {
  const id = rehearsal?.id ?? 0;
  return useQuery({
    queryKey: ['screens', id, rehearsal?.job?.id, sizes],
    enabled: rehearsal?.result != null && sizes.length > 0,
    placeholderData: keepPreviousData,
    queryFn: () =>
      body(
        client.GET('/api/rehearsals/{rehearsal}/screens', {
          params: { path: { rehearsal: id }, query: { size: [...sizes] } },
        }),
      ),
  });
}

export const closeRehearsal = (rehearsal: number) =>
  client.DELETE('/api/rehearsals/{rehearsal}', { params: { path: { rehearsal } } });

/** The address of a picture, for ever the same; undefined where there is none. */
export function pictureAddress({ id, pictures }: Rehearsal, name: string): string | undefined {
  const digest = pictures[`${name}.png`];
  return digest && `/api/rehearsals/${id}/pictures/${name}/${digest}`;
}

/** A picture at its address. */
export async function fetchPicture(address: string, signal?: AbortSignal): Promise<Blob> {
  const answer = await fetch(address, signal ? { signal } : {});
  if (!answer.ok) throw refusalOf(answer.status, await answer.text());
  return answer.blob();
}

/** Several files are called after the folder that they come from, or after the first of them. */
function together(files: readonly File[]): Sending {
  const [first] = files;
  const named = first?.webkitRelativePath.split('/')[0] || (first?.name.replace(/\.[^.]*$/, '') ?? '');
  return { files, together: named };
}
