/** Questions to the rows and pixels of an illustration; nothing is changed. */
import { body, client, type Schemas } from './client';

type Gestures = Schemas['Gestures'];
type Edge = Schemas['Edge'];

const at = (illustration: number) => ({ path: { illustration } });

export const askSelection = (
  illustration: number,
  asked: { row: string; gestures: Gestures; edge: Edge; frame: number },
  signal: AbortSignal,
) =>
  body(client.POST('/api/illustrations/{illustration}/selection', { params: at(illustration), body: asked, signal }));

export const askIslands = (
  illustration: number,
  asked: { row: string; gap: number; smallest: number },
  signal: AbortSignal,
) => body(client.POST('/api/illustrations/{illustration}/islands', { params: at(illustration), body: asked, signal }));

export const askProposals = (illustration: number, row: string, signal: AbortSignal) =>
  body(client.POST('/api/illustrations/{illustration}/proposals', { params: at(illustration), body: { row }, signal }));

export const askDifference = (illustration: number, signal: AbortSignal) =>
  body(client.GET('/api/illustrations/{illustration}/difference', { params: at(illustration), signal }));

export const askAdded = (illustration: number, row: string, signal: AbortSignal) =>
  body(client.POST('/api/illustrations/{illustration}/added', { params: at(illustration), body: { row }, signal }));

export const askRemainder = (illustration: number, row: string, signal: AbortSignal) =>
  body(client.POST('/api/illustrations/{illustration}/remainder', { params: at(illustration), body: { row }, signal }));

export const askLimb = (illustration: number, row: string, place: [number, number]) =>
  body(client.POST('/api/illustrations/{illustration}/limb', { params: at(illustration), body: { row, at: place } }));

export const askFindings = (illustration: number, smallest: number, tolerance: number, signal: AbortSignal) =>
  body(
    client.GET('/api/illustrations/{illustration}/findings', {
      params: { ...at(illustration), query: { smallest, tolerance } },
      signal,
    }),
  );

export const askMargins = (illustration: number, row: string) =>
  body(client.POST('/api/illustrations/{illustration}/margins', { params: at(illustration), body: { row } }));

export const askJoint = async (illustration: number, row: string, signal: AbortSignal) => {
  const found = await body(
    client.POST('/api/illustrations/{illustration}/joint', { params: at(illustration), body: { row }, signal }),
  );
  return found[0] ?? null;
};

export const askJoints = (illustration: number, rows: readonly string[], mirrored: boolean) =>
  body(
    client.POST('/api/illustrations/{illustration}/joints', {
      params: at(illustration),
      body: { rows: [...rows], mirrored },
    }),
  );

export const askSwing = (
  illustration: number,
  asked: { row: string; start: number; end: number; steps: number; at?: number },
  signal: AbortSignal,
) => body(client.POST('/api/illustrations/{illustration}/swing', { params: at(illustration), body: asked, signal }));

export const askCompletions = (
  illustration: number,
  asked: { row: string; start: number; end: number },
  signal: AbortSignal,
): Promise<Schemas['Completions']> =>
  body(
    client.POST('/api/illustrations/{illustration}/completions', { params: at(illustration), body: asked, signal }),
    // The client's types forget how long tuples are.
  ) as Promise<Schemas['Completions']>;

export const askNames = (
  illustration: number,
  rows: readonly string[],
  changes: readonly Schemas['NameChangeRequest'][],
  signal: AbortSignal,
) =>
  body(
    client.POST('/api/illustrations/{illustration}/names', {
      params: at(illustration),
      body: { rows: [...rows], changes: [...changes] },
      signal,
    }),
  );

export const askOrder = (illustration: number, signal: AbortSignal) =>
  body(client.GET('/api/illustrations/{illustration}/order', { params: at(illustration), signal }));
