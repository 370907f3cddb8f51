/** Small pictures of parts: those that are asked for within a moment come in one answer, and stay for as long as the page does. */

import { useEffect, useState } from 'react';
import { imageAddress } from './client';
import { fetchPack } from './images';

/** Milliseconds in which questions are gathered: a list that is scrolled shows several new rows in a frame. */
const GATHER = 12;
const AT_ONCE = 128;
/** So many are kept; one has some kilobytes. */
const MOST = 5000;

const there = new Map<string, string>();
const waiting = new Map<number, Map<string, ((address: string) => void)[]>>();

async function fetchWaiting(illustration: number): Promise<void> {
  const asked = [...(waiting.get(illustration) ?? [])];
  waiting.delete(illustration);
  for (let at = 0; at < asked.length; at += AT_ONCE) {
    const some = asked.slice(at, at + AT_ONCE);
    const images = some.map(([digest]) => ({ digest, halved: 0 }));
    // What is not of the state that is worked with comes by itself.
    const blobs = await fetchPack(illustration, images, new AbortController().signal).catch(() => null);
    some.forEach(([digest, tell], index) => {
      const blob = blobs?.[index];
      const address = blob ? URL.createObjectURL(blob) : imageAddress(illustration, digest);
      if (blob) keep(digest, address);
      for (const one of tell) one(address);
    });
  }
}

function keep(digest: string, address: string): void {
  there.set(digest, address);
  const [oldest] = there;
  if (there.size <= MOST || !oldest) return;
  there.delete(oldest[0]);
  URL.revokeObjectURL(oldest[1]);
}

function ask(illustration: number, digest: string, tell: (address: string) => void): void {
  let asked = waiting.get(illustration);
  if (!asked) {
    asked = new Map();
    waiting.set(illustration, asked);
    window.setTimeout(() => void fetchWaiting(illustration), GATHER);
  }
  asked.set(digest, [...(asked.get(digest) ?? []), tell]);
}

/** The address of a small picture of a part, once it is there. */
export function thumbnailOf(illustration: number, digest: string): Promise<string> {
  const known = there.get(digest);
  if (known) return Promise.resolve(known);
  return new Promise((tell) => ask(illustration, digest, tell));
}

/** The address of a small picture of a part; undefined until it is there, or where there is none. */
export function useThumbnail(illustration: number, digest: string | null): string | undefined {
  const known = digest === null ? undefined : there.get(digest);
  const [own, setOwn] = useState<{ digest: string; address: string } | null>(null);
  useEffect(() => {
    if (digest === null || there.has(digest)) return;
    let isWanted = true;
    ask(illustration, digest, (address) => isWanted && setOwn({ digest, address }));
    return () => {
      isWanted = false;
    };
  }, [illustration, digest]);
  return known ?? (own?.digest === digest ? own?.address : undefined);
}
