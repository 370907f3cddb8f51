/** The one door to the server: typed calls, the CSRF header, and answers of the error family as `Refusal`. */

import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema';
import { client as words } from './words';

export type Schemas = components['schemas'];

/** What the server says when it refuses: a sentence for people and, for names, a better proposal. */
export class Refusal extends Error {
  readonly status: number;
  readonly code: string;
  readonly proposal: string | undefined;

  constructor(status: number, code: string, sentence: string, proposal?: string) {
    super(sentence);
    this.status = status;
    this.code = code;
    this.proposal = proposal;
  }
}

export function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? '';
}

export function refusalOf(status: number, text: string): Refusal {
  try {
    const value: unknown = JSON.parse(text);
    if (value && typeof value === 'object') {
      const { code, detail, proposal } = value as Record<string, unknown>;
      if (typeof detail === 'string') {
        return new Refusal(
          status,
          String(code ?? 'refused'),
          detail,
          typeof proposal === 'string' ? proposal : undefined,
        );
      }
      const first = Object.entries(value).map(([field, said]) => `${field}: ${[said].flat().join(' ')}`)[0];
      if (first) return new Refusal(status, 'refused', first);
    }
  } catch {
    // Not JSON: the sentence below says what is known.
  }
  return new Refusal(status, 'no-answer', words.theServerDoesNotAnswer);
}

const door: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken());
    return request;
  },
  async onResponse({ response }) {
    if (!response.ok) throw refusalOf(response.status, await response.text());
    return response;
  },
  onError() {
    return new Refusal(0, 'unreachable', words.theServerCannotBeReached);
  },
};

export const client = createClient<paths>({ baseUrl: '' });
client.use(door);

/** The body of an answer that `door` has let through. */
export async function body<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T;
}

/** Where an area of a vector layer is drawn anew. */
export function drawnAddress(
  illustration: number,
  revision: number,
  layer: string,
  area: Record<'left' | 'top' | 'width' | 'height' | 'factor', number>,
): string {
  const asked = new URLSearchParams(Object.entries(area).map(([name, value]) => [name, String(value)]));
  return `/api/illustrations/${illustration}/revisions/${revision}/layers/${layer}/drawn?${asked}`;
}

export function imageAddress(illustration: number, digest: string): string {
  return `/api/illustrations/${illustration}/images/${digest}`;
}
