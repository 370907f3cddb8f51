/** Every call that a view makes, by what it is for. */

import { keepPreviousData, type QueryClient, queryOptions, useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { body, client, csrfToken, Refusal, refusalOf, type Schemas } from './client';
import { askArrangement } from './steps';
import { calls as words } from './words';

export type Illustration = Schemas['Illustration'];
export type WholeIllustration = Schemas['WholeIllustration'];
export type Arrangement = Schemas['Arrangement'];
export type Row = Schemas['Row'];
export type Job = Schemas['Job'];
export type Plan = Schemas['Plan'];
export type HandOver = Schemas['HandOver'];
export type Project = Schemas['Project'];
export type Role = Schemas['RoleEnum'];
export type Revision = Schemas['Revision'];
export type Review = Schemas['Review'];
export type Credit = Schemas['Credit'];
export type Choices = Schemas['ChoicesRequest'];
export type Archive = Schemas['Archive'];

const POLL = 500;
/** Milliseconds between two looks for what a watched file, and for what somebody else, has handed over. */
const [WATCHED, OTHERS] = [400, 5000];

export const isRunning = (job: Job | null | undefined) => job?.state === 'waiting' || job?.state === 'running';

/** Milliseconds for which what was asked for ahead is not asked for again. */
const AHEAD = 2000;

const sessionQuery = () =>
  queryOptions({ queryKey: ['session'], queryFn: () => body(client.GET('/api/session')), staleTime: AHEAD });

export const illustrationQuery = (illustration: number) =>
  queryOptions({
    queryKey: ['illustration', illustration],
    queryFn: () => body(client.GET('/api/illustrations/{illustration}', { params: { path: { illustration } } })),
    staleTime: AHEAD,
  });

export const arrangementQuery = (illustration: number) =>
  queryOptions({
    queryKey: ['arrangement', illustration],
    queryFn: () => askArrangement(illustration),
    staleTime: AHEAD,
  });

/** Ask at once for what the page of an illustration begins with, and not for one when the other has come. The rows wait for their turn: a
 * thousand of them keep the page busy, and the picture is to be seen first. */
export function askAhead(queries: QueryClient, illustration: number): void {
  void queries.prefetchQuery({ ...sessionQuery(), retry: false });
  void queries.prefetchQuery({ ...illustrationQuery(illustration), retry: false });
}

export function useSession() {
  return useQuery(sessionQuery());
}

export const signIn = (username: string, password: string, code: string) =>
  body(client.POST('/api/session', { body: { username, password, code } }));

/** Leave for the studio's sign-in service, and come back to the page that is open. */
export async function goToService(connects: boolean) {
  const page = new URL(window.location.href);
  page.searchParams.delete('service');
  const way = client.POST('/api/service', { body: { to: page.pathname + page.search, connects } });
  window.location.assign((await body(way)).address);
}

export function useService(isAsked: boolean) {
  return useQuery({ queryKey: ['service'], queryFn: () => body(client.GET('/api/service')), enabled: isAsked });
}

export const leaveService = () => client.DELETE('/api/service');

export function useTwoStep() {
  return useQuery({ queryKey: ['two-step'], queryFn: () => body(client.GET('/api/two-step')) });
}

export const newSecret = () => body(client.POST('/api/two-step/secret'));

export const turnTwoStepOn = (password: string, code: string) =>
  body(client.PUT('/api/two-step', { body: { password, code } }));

export const turnTwoStepOff = (password: string) => client.POST('/api/two-step/off', { body: { password } });

export const newRecoveryCodes = (password: string) => body(client.POST('/api/two-step/codes', { body: { password } }));

export const signOut = () => client.DELETE('/api/session');

export const changePassword = (old_password: string, new_password: string) =>
  client.POST('/api/password', { body: { old_password, new_password } });

export function useProjects() {
  return useQuery({ queryKey: ['projects'], queryFn: () => body(client.GET('/api/projects')) });
}

/** What the projects of whoever is signed in take together. */
export function useRoom() {
  return useQuery({ queryKey: ['projects', 'room'], queryFn: () => body(client.GET('/api/room')) });
}

export const startProject = (name: string) => body(client.POST('/api/projects', { body: { name } }));

export function useMembers(project: number) {
  const params = { path: { project } };
  return useQuery({
    queryKey: ['members', project],
    queryFn: () => body(client.GET('/api/projects/{project}/members', { params })),
  });
}

export const setRole = (project: number, username: string, role: Role) =>
  client.POST('/api/projects/{project}/members', { params: { path: { project } }, body: { username, role } });

export const removeMember = (project: number, user: number) =>
  client.DELETE('/api/projects/{project}/members/{user}', { params: { path: { project, user } } });

export function useIllustrations(project: number) {
  const params = { path: { project } };
  return useQuery({
    queryKey: ['illustrations', project],
    queryFn: () => body(client.GET('/api/projects/{project}/illustrations', { params })),
    refetchInterval: ({ state }) => (state.data?.some((one) => isRunning(one.job)) ? POLL : false),
  });
}

export function useIllustration(illustration: number) {
  return useQuery({
    ...illustrationQuery(illustration),
    refetchInterval: ({ state }) => (isRunning(state.data?.job) || isRunning(state.data?.waiting?.job) ? POLL : false),
  });
}

export const sayCredit = (illustration: number, credit: Credit) =>
  body(client.PATCH('/api/illustrations/{illustration}', { params: { path: { illustration } }, body: { credit } }));

export function useLicences() {
  return useQuery({
    queryKey: ['licences'],
    queryFn: () => body(client.GET('/api/licences')),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The revisions, asked for anew when another one is worked with or waits. */
export function useRevisions(illustration: number, current: number, waiting: string) {
  const params = { path: { illustration } };
  return useQuery({
    queryKey: ['revisions', illustration, current, waiting],
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/revisions', { params })),
  });
}

export function useReview(illustration: number, revision: number) {
  const params = { path: { illustration, revision } };
  return useQuery({
    queryKey: ['review', illustration, revision],
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/revisions/{revision}', { params })),
    retry: false,
  });
}

export const takeRevision = (
  illustration: number,
  revision: number,
  confirmed: { pairs: Record<string, string | null>; remove: string[] },
) =>
  body(
    client.POST('/api/illustrations/{illustration}/revisions/{revision}/take', {
      params: { path: { illustration, revision } },
      body: confirmed,
    }),
  );

export const discardRevision = (illustration: number, revision: number) =>
  client.DELETE('/api/illustrations/{illustration}/revisions/{revision}', {
    params: { path: { illustration, revision } },
  });

export const goBack = (illustration: number) =>
  body(client.POST('/api/illustrations/{illustration}/go-back', { params: { path: { illustration } } }));

export const readAgain = (illustration: number, choices: Choices) =>
  body(
    client.POST('/api/illustrations/{illustration}/read-again', { params: { path: { illustration } }, body: choices }),
  );

/** A cut of a sheet and what speaks against it; without one, a proposed cut. */
export function useSheet(illustration: number, sheet: Choices['sheet'] | null) {
  const params = { path: { illustration } };
  return useQuery({
    queryKey: ['sheet', illustration, sheet],
    queryFn: () =>
      body(client.POST('/api/illustrations/{illustration}/sheet', { params, body: sheet ? { sheet } : {} })),
    retry: false,
    placeholderData: (before) => before,
  });
}

export function useArchives(project: number) {
  const params = { path: { project } };
  return useQuery({
    queryKey: ['archives', project],
    queryFn: () => body(client.GET('/api/projects/{project}/archives', { params })),
    refetchInterval: ({ state }) => (state.data?.some((one) => isRunning(one.job)) ? POLL : false),
  });
}

export const packProject = (project: number) =>
  body(client.POST('/api/projects/{project}/archives', { params: { path: { project } } }));

export const renameProject = (project: number, name: string) =>
  client.PATCH('/api/projects/{project}', { params: { path: { project } }, body: { name } });

export const removeProject = (project: number) =>
  client.DELETE('/api/projects/{project}', { params: { path: { project } } });

export type InBin = Schemas['InBin'];

export function useBin() {
  return useQuery({ queryKey: ['bin'], queryFn: () => body(client.GET('/api/bin')) });
}

export const restore = ({ kind, id }: InBin): Promise<unknown> =>
  kind === 'project'
    ? client.POST('/api/projects/{project}/restore', { params: { path: { project: id } } })
    : client.POST('/api/illustrations/{illustration}/restore', { params: { path: { illustration: id } } });

export const tryAgain = (illustration: number) =>
  client.POST('/api/illustrations/{illustration}/try-again', { params: { path: { illustration } } });

export const duplicateIllustration = (illustration: number) =>
  body(client.POST('/api/illustrations/{illustration}/duplicate', { params: { path: { illustration } } }));

export const moveIllustration = (illustration: number, project: number) =>
  body(
    client.POST('/api/illustrations/{illustration}/move', { params: { path: { illustration } }, body: { project } }),
  );

export const renameIllustration = (illustration: number, name: string) =>
  client.PATCH('/api/illustrations/{illustration}', { params: { path: { illustration } }, body: { name } });

export const removeIllustration = (illustration: number) =>
  client.DELETE('/api/illustrations/{illustration}', { params: { path: { illustration } } });

/** The plan of a version, compared with the last hand-over that came to its end. */
/** A recipe as a document, nothing left out. */
export type Recipe = Schemas['Recipe']['document'];

/** The plan of a hand-over by a recipe (null: the last one), of everything or of some rows; the one before stays until it is there. */
export function usePlan(
  illustration: number,
  version: number,
  last: number | undefined,
  recipe: Recipe | null,
  only: readonly string[] | null,
  folder: string,
  enabled: boolean,
) {
  const params = { path: { illustration } };
  return useQuery({
    enabled,
    queryKey: ['plan', illustration, version, last, recipe, only, folder],
    queryFn: ({ signal }) =>
      body(
        client.POST('/api/illustrations/{illustration}/plan', {
          params,
          body: { recipe, only: only && [...only], folder },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

/** The folders of the server's machine below which packages may be written. */
export function useRoots() {
  return useQuery({
    queryKey: ['roots'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => (await body(client.GET('/api/roots'))).roots,
  });
}

export const recipesKey = (project: number) => ['recipes', project];

export function useRecipes(project: number) {
  const params = { path: { project } };
  return useQuery({
    queryKey: recipesKey(project),
    queryFn: () => body(client.GET('/api/projects/{project}/recipes', { params })),
  });
}

/** While they are looked at as they come (`isFollowed`), those of others and of a watched file are asked for too. */
export function useHandOvers(illustration: number, isFollowed: boolean) {
  const params = { path: { illustration } };
  const inStep = useQuery({
    queryKey: ['in-step', illustration],
    enabled: isFollowed,
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/in-step', { params })),
  });
  const following = (inStep.data?.length ?? 0) > 0 ? WATCHED : OTHERS;
  return useQuery({
    queryKey: ['hand-overs', illustration],
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/hand-overs', { params })),
    refetchInterval: ({ state }) =>
      state.data?.some((one) => isRunning(one.job))
        ? Math.min(POLL, isFollowed ? following : POLL)
        : isFollowed && following,
  });
}

export const handOver = (
  illustration: number,
  version: number,
  recipe: Recipe | null,
  only: readonly string[] | null,
  folder: string,
  how: { removeObsolete: boolean; proveEverything: boolean },
) =>
  body(
    client.POST('/api/illustrations/{illustration}/hand-overs', {
      params: { path: { illustration } },
      body: {
        version,
        recipe,
        only: only && [...only],
        folder,
        remove_obsolete: how.removeObsolete,
        prove_everything: how.proveEverything,
      },
    }),
  );

export type Account = Schemas['Account'];
export type MadeLink = Schemas['MadeLink'];

export function useAccounts() {
  return useQuery({ queryKey: ['accounts'], queryFn: () => body(client.GET('/api/accounts')) });
}

export type AccountChange = Schemas['PatchedAccountChangeRequest'];

export const changeAccount = (account: number, change: AccountChange) =>
  body(client.PATCH('/api/accounts/{account}', { params: { path: { account } }, body: change }));

export const removeAccount = (account: number) =>
  body(client.DELETE('/api/accounts/{account}', { params: { path: { account } } }));

export const invite = (isAdministrator: boolean) =>
  body(client.POST('/api/accounts/invitations', { body: { is_administrator: isAdministrator } }));

export const inviteInto = (project: number, role: Role) =>
  body(client.POST('/api/projects/{project}/invitations', { params: { path: { project } }, body: { role } }));

export const letSetPassword = (account: number) =>
  body(client.POST('/api/accounts/{account}/new-password', { params: { path: { account } } }));

/** A link that somebody was given. */
export function useLink(token: string) {
  return useQuery({
    queryKey: ['link', token],
    retry: false,
    queryFn: () => body(client.GET('/api/come-in/{token}', { params: { path: { token } } })),
  });
}

export const followLink = (token: string, name: string, password: string) =>
  body(client.POST('/api/come-in/{token}', { params: { path: { token } }, body: { name, password } }));

export type Delivery = Schemas['Delivery'];
export type Remark = Schemas['Remark'];
export type Received = Schemas['Received'];

export function useDeliveries(illustration: number) {
  return useQuery({
    queryKey: ['deliveries', illustration],
    queryFn: () =>
      body(client.GET('/api/illustrations/{illustration}/deliveries', { params: { path: { illustration } } })),
  });
}

export const deliver = (
  illustration: number,
  asked: { to: string; days: number; hand_over: number | null; recipe: string },
) =>
  body(
    client.POST('/api/illustrations/{illustration}/deliveries', { params: { path: { illustration } }, body: asked }),
  );

export const takeBack = (delivery: number) =>
  body(client.DELETE('/api/deliveries/{delivery}', { params: { path: { delivery } } }));

/** What receivers said; asked again now and then, for they come when they come. */
export function useRemarks(illustration: number) {
  return useQuery({
    queryKey: ['remarks', illustration],
    refetchInterval: 15_000,
    queryFn: () =>
      body(client.GET('/api/illustrations/{illustration}/remarks', { params: { path: { illustration } } })),
  });
}

export const answerRemark = (remark: number, text: string) =>
  body(client.POST('/api/remarks/{remark}/answer', { params: { path: { remark } }, body: { text } }));

/** A package by its link, without an account. */
export function useReceived(token: string) {
  return useQuery({
    queryKey: ['received', token],
    retry: false,
    queryFn: () => body(client.GET('/api/received/{token}', { params: { path: { token } } })),
  });
}

export const sayRemark = (token: string, part: string, text: string) =>
  body(client.POST('/api/received/{token}/remarks', { params: { path: { token } }, body: { part, text } }));

export type Queued = Schemas['Queued'];

/** What runs and what waits, asked again every two seconds. */
export function useQueue() {
  return useQuery({
    queryKey: ['queue'],
    refetchInterval: 2000,
    queryFn: () => body(client.GET('/api/queue')),
  });
}

/** Send a link that one has made; `path` is where it leads. */
export const mailLink = (path: string, to: string) =>
  body(
    client.POST('/api/come-in/{token}/mail', {
      params: { path: { token: path.split('/').pop() ?? '' } },
      body: { to },
    }),
  );

/** Where one is signed in. */
export function useSessions() {
  return useQuery({ queryKey: ['sessions'], queryFn: () => body(client.GET('/api/sessions')) });
}

export const endSession = (number: number) => client.DELETE('/api/sessions/{number}', { params: { path: { number } } });

export const endOtherSessions = () => client.DELETE('/api/sessions');

export type Entry = Schemas['Entry'];

/** What the audit log has, the newest first, a hundred at a time. */
export function useAudit(kind: Entry['kind'] | '', text: string) {
  return useInfiniteQuery({
    queryKey: ['audit', kind, text],
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last: Entry[]) => (last.length === 100 ? last.at(-1)?.id : undefined),
    queryFn: ({ pageParam }) =>
      body(
        client.GET('/api/audit', {
          params: { query: { ...(pageParam && { before: pageParam }), ...(kind && { kind }), ...(text && { text }) } },
        }),
      ),
  });
}

export const cancelJob = (job: number) => client.POST('/api/jobs/{job}/cancel', { params: { path: { job } } });

/** Files that are sent together, and how they are read. */
export interface Sending {
  files: readonly File[];
  /** What several loose images are called together. */
  together?: string;
  choices?: Pick<Choices, 'longest' | 'ppi' | 'stack'>;
}

/** Bring pictures into a project; a package of ours of an illustration that is there already becomes a revision of it. */
export const bringIn = (project: number, sending: Sending, onProgress: (share: number) => void) =>
  send<Illustration>(`/api/projects/${project}/illustrations`, formOf(sending), onProgress);

export const bringInRevision = (illustration: number, sending: Sending, onProgress: (share: number) => void) =>
  send<Revision>(`/api/illustrations/${illustration}/revisions`, formOf(sending), onProgress);

/** Bring in a project that was packed elsewhere. */
export const moveIn = (file: File, onProgress: (share: number) => void) =>
  send<Archive>('/api/projects/move-in', formOf({ files: [file] }), onProgress);

/** Send files to an address that keeps them. */
export const sendOutside = <T>(address: string, sending: Sending, onProgress: (share: number) => void) =>
  send<T>(address, formOf(sending), onProgress);

function formOf({ files, together, choices }: Sending): FormData {
  const form = new FormData();
  for (const file of files) {
    form.append('file', file);
    if (files.length > 1) form.append('path', file.webkitRelativePath || file.name);
  }
  if (together) form.append('together', together);
  for (const [name, value] of Object.entries(choices ?? {})) if (value != null) form.append(name, String(value));
  return form;
}

/** Send a form with progress, which `fetch` cannot tell. */
function send<T>(address: string, form: FormData, onProgress: (share: number) => void): Promise<T> {
  const [first] = form.getAll('file');
  const name = first instanceof File ? first.name : '';
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('POST', address);
    request.setRequestHeader('X-CSRFToken', csrfToken());
    request.upload.onprogress = (event) => onProgress(event.lengthComputable ? event.loaded / event.total : 0);
    request.onload = () => {
      if (request.status === 201) resolve(JSON.parse(request.responseText) as T);
      else reject(refusalOf(request.status, request.responseText));
    };
    request.onerror = () => reject(new Refusal(0, 'unreachable', words.didNotArriveTheConnection(name)));
    request.send(form);
  });
}
