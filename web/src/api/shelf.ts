/** One's own shelf: what is kept for other projects. */
import { body, client, type Schemas } from './client';

export type Kept = Schemas['Kept'];

export const shelfKey = ['shelf'];

export const askShelf = () => body(client.GET('/api/shelf'));

export const askFit = (illustration: number, kept: number) =>
  body(client.GET('/api/illustrations/{illustration}/shelf/{kept}/fit', { params: { path: { illustration, kept } } }));

export const keepOnShelf = (illustration: number, kind: 'part' | 'template' | 'list', name: string, row = '') =>
  body(
    client.POST('/api/illustrations/{illustration}/keep', {
      params: { path: { illustration } },
      body: { kind, name, row },
    }),
  );

export const removeFromShelf = (kept: number) => client.DELETE('/api/shelf/{kept}', { params: { path: { kept } } });
