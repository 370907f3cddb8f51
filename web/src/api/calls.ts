/** Every call that a view makes, by what it is for. */
import { useQuery } from '@tanstack/react-query';
import { body, client, csrfToken, Refusal, refusalOf, type Schemas } from './client';

export type Illustration = Schemas['Illustration'];
export type WholeIllustration = Schemas['WholeIllustration'];
export type Arrangement = Schemas['Arrangement'];
export type Row = Schemas['Row'];
export type Job = Schemas['Job'];
export type Plan = Schemas['Plan'];
export type HandOver = Schemas['HandOver'];
export type Project = Schemas['Project'];
export type Role = Schemas['RoleEnum'];

const POLL = 500;

export const isRunning = (job: Job | null | undefined) => job?.state === 'waiting' || job?.state === 'running';

export function useSession() {
  return useQuery({ queryKey: ['session'], queryFn: () => body(client.GET('/api/session')) });
}

export const signIn = (username: string, password: string) =>
  body(client.POST('/api/session', { body: { username, password } }));

export const signOut = () => client.DELETE('/api/session');

export const changePassword = (old_password: string, new_password: string) =>
  client.POST('/api/password', { body: { old_password, new_password } });

export function useProjects() {
  return useQuery({ queryKey: ['projects'], queryFn: () => body(client.GET('/api/projects')) });
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
  const params = { path: { illustration } };
  return useQuery({
    queryKey: ['illustration', illustration],
    queryFn: () => body(client.GET('/api/illustrations/{illustration}', { params })),
    refetchInterval: ({ state }) => (isRunning(state.data?.job) ? POLL : false),
  });
}

export const removeIllustration = (illustration: number) =>
  client.DELETE('/api/illustrations/{illustration}', { params: { path: { illustration } } });

/** The plan of a version, compared with the last hand-over that came to its end. */
export function usePlan(illustration: number, version: number, last: number | undefined) {
  const params = { path: { illustration } };
  return useQuery({
    queryKey: ['plan', illustration, version, last],
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/plan', { params })),
    retry: false,
  });
}

export function useHandOvers(illustration: number) {
  const params = { path: { illustration } };
  return useQuery({
    queryKey: ['hand-overs', illustration],
    queryFn: () => body(client.GET('/api/illustrations/{illustration}/hand-overs', { params })),
    refetchInterval: ({ state }) => (state.data?.some((one) => isRunning(one.job)) ? POLL : false),
  });
}

export const handOver = (illustration: number, version: number) =>
  body(
    client.POST('/api/illustrations/{illustration}/hand-overs', {
      params: { path: { illustration } },
      body: { version },
    }),
  );

export const cancelJob = (job: number) => client.POST('/api/jobs/{job}/cancel', { params: { path: { job } } });

/** Send a file with progress, which `fetch` cannot tell. */
export function bringIn(
  project: number,
  file: File,
  longest: number | null,
  onProgress: (share: number) => void,
): Promise<Illustration> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    form.append('file', file);
    if (longest !== null) form.append('longest', String(longest));
    const request = new XMLHttpRequest();
    request.open('POST', `/api/projects/${project}/illustrations`);
    request.setRequestHeader('X-CSRFToken', csrfToken());
    request.upload.onprogress = (event) => onProgress(event.lengthComputable ? event.loaded / event.total : 0);
    request.onload = () => {
      if (request.status === 201) resolve(JSON.parse(request.responseText) as Illustration);
      else reject(refusalOf(request.status, request.responseText));
    };
    request.onerror = () =>
      reject(
        new Refusal(0, 'unreachable', `'${file.name}' did not arrive: the connection was lost. Bring it in again.`),
      );
    request.send(form);
  });
}
