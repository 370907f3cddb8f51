/** Steps on the arrangement: every command, undo and redo, each with an id so that one that is sent twice is done once. */
import type { Arrangement } from './calls';
import { body, client, type Schemas } from './client';

export type Command = Schemas['Command'];
export type Place = Schemas['Place'];
export type StepAnswer = Schemas['StepAnswer'];

/** What every step is sent with: an id of its own, and the version that the page has. */
export interface Sent {
  id: string;
  version: number;
}
export type Send = (sent: Sent) => Promise<StepAnswer>;

const at = (illustration: number) => ({ path: { illustration } });

export const askArrangement = (illustration: number): Promise<Arrangement> =>
  body(client.GET('/api/illustrations/{illustration}/arrangement', { params: at(illustration) }));

export const takeStep =
  (illustration: number, command: Command): Send =>
  (sent) =>
    body(
      client.POST('/api/illustrations/{illustration}/steps', {
        params: at(illustration),
        body: { ...sent, command },
      }),
    );

export const undoStep =
  (illustration: number): Send =>
  (sent) =>
    body(client.POST('/api/illustrations/{illustration}/undo', { params: at(illustration), body: sent }));

export const redoStep =
  (illustration: number): Send =>
  (sent) =>
    body(client.POST('/api/illustrations/{illustration}/redo', { params: at(illustration), body: sent }));

/** A picture becomes a part, in front of a row, or takes the place of that row's own. */
export const sendPicture =
  (illustration: number, file: File, row: string | null, instead: boolean): Send =>
  ({ id, version }) =>
    body(
      client.POST('/api/illustrations/{illustration}/pictures', {
        params: at(illustration),
        body: { id, version, file: '', row: row ?? '', instead },
        bodySerializer: (said) => {
          const form = new FormData();
          for (const [name, value] of Object.entries(said)) if (name !== 'file') form.append(name, String(value));
          form.append('file', file);
          return form;
        },
      }),
    );

/** Something of one's own shelf, used in an illustration: a part lies in front of a row. */
export const takeFromShelf =
  (illustration: number, kept: number, row: string | null): Send =>
  (sent) =>
    body(
      client.POST('/api/illustrations/{illustration}/shelf/{kept}/use', {
        params: { path: { illustration, kept } },
        body: { ...sent, row },
      }),
    );

/** The arrangement that a page has, with what a step answers: what changed of the rows, and their order where that did. */
export function merged(before: Arrangement, { rows, decided, order, made: _, ...rest }: StepAnswer): Arrangement {
  const byId = new Map(before.rows.map((row) => [row.id, row]));
  for (const one of decided) {
    const row = byId.get(one.id);
    if (row) byId.set(one.id, { ...row, ...one });
  }
  for (const row of rows) byId.set(row.id, row);
  const ids = order ?? before.rows.map((row) => row.id);
  return { ...rest, rows: ids.flatMap((id) => byId.get(id) ?? []) };
}

/** The two numbers of a place, as commands have them. */
export const placeOf = ([x = 0, y = 0]: readonly number[]): [number, number] => [x, y];

/** Left, top, right and bottom, as commands have them. */
export const marginsOf = ([left = 0, top = 0, right = 0, bottom = 0]: readonly number[]): [
  number,
  number,
  number,
  number,
] => [left, top, right, bottom];
