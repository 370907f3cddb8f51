/** Trying again while the server is away; a refusal is final. */
import { Refusal } from './client';

const RETRY_AFTER = [500, 1500, 4000];

export const isAway = (refusal: Refusal) => refusal.status === 0 || refusal.status >= 500;

/** Send a few times; what is sent has an id, so that it may arrive twice without harm. */
export async function patiently<T>(send: () => Promise<T>): Promise<T> {
  for (const wait of RETRY_AFTER) {
    try {
      return await send();
    } catch (error) {
      if (!(error instanceof Refusal) || !isAway(error)) throw error;
      await new Promise((resolve) => setTimeout(resolve, wait));
    }
  }
  return send();
}
