/** Recipes of a project, hand-overs of several illustrations together, pictures of a plan, and files that an illustration is kept in step with. */
import { body, client, csrfToken, refusalOf, type Schemas } from './client';

const at = (illustration: number) => ({ path: { illustration } });

export const saveRecipe = (project: number, document: unknown) =>
  body(client.POST('/api/projects/{project}/recipes', { params: { path: { project } }, body: { document } }));

export const changeRecipe = (recipe: number, document: unknown) =>
  body(client.PUT('/api/recipes/{recipe}', { params: { path: { recipe } }, body: { document } }));

export const removeRecipe = (recipe: number) =>
  client.DELETE('/api/recipes/{recipe}', { params: { path: { recipe } } });

export const askInStep = (illustration: number) =>
  body(client.GET('/api/illustrations/{illustration}/in-step', { params: at(illustration) }));

export const keepInStep = (illustration: number, wanted: Schemas['SetWatchedSourceRequest']) =>
  body(client.PUT('/api/illustrations/{illustration}/in-step', { params: at(illustration), body: wanted }));

export const endInStep = (illustration: number) =>
  client.DELETE('/api/illustrations/{illustration}/in-step', { params: at(illustration) });

const of = (project: number) => ({ path: { project } });

/** Illustrations of a project that can be handed over together. */
export const askCandidates = (project: number) =>
  body(client.GET('/api/projects/{project}/hand-overs/candidates', { params: of(project) }));

export const askTogether = (project: number) =>
  body(client.GET('/api/projects/{project}/hand-overs', { params: of(project) }));

export const handOverTogether = (project: number, wanted: Schemas['AskTogetherRequest']) =>
  body(client.POST('/api/projects/{project}/hand-overs', { params: of(project), body: wanted }));

/** A picture of a plan, as its bytes. */
export async function plannedPicture(
  illustration: number,
  asked: { recipe: unknown; only: readonly string[] | null; file: string },
  signal: AbortSignal,
): Promise<Blob> {
  const answer = await fetch(`/api/illustrations/${illustration}/plan/image`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', 'X-CSRFToken': csrfToken() },
    body: JSON.stringify(asked),
    signal,
  });
  if (!answer.ok) throw refusalOf(answer.status, await answer.text());
  return answer.blob();
}
