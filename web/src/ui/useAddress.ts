/** What of a page is in its address, so that reloading and going back lead to it again: which page of a step, and which parts are selected. */
import { useEffect, useRef, useState } from 'react';
import { useLocation, useNavigate, useNavigationType } from 'react-router';

/** The address with a value in its query, or without it. */
export function withValue(search: string, name: string, value: string | null): string {
  const query = new URLSearchParams(search);
  if (value === null) query.delete(name);
  else query.set(name, value);
  // One state has one address, whichever was set first.
  query.sort();
  const text = query.toString().replaceAll('%2C', ',');
  return text && `?${text}`;
}

/**
 * Which page of a step is open: the one of the address while the step `isOpen`, and the last one while it is not.
 * `pages` begins with the one that needs no word in the address.
 */
export function usePage<P extends string>(isOpen: boolean, pages: readonly [P, ...P[]]) {
  const navigate = useNavigate();
  const { search } = useLocation();
  const [kept, setKept] = useState<P>(pages[0]);
  const asked = new URLSearchParams(search).get('page');
  const page = isOpen ? (pages.find((one) => one === asked) ?? pages[0]) : kept;
  useEffect(() => {
    if (isOpen) setKept(page);
  }, [isOpen, page]);
  const setPage = (next: P, isReplacing = false) => {
    setKept(next);
    if (!isOpen || next === page) return;
    const to = withValue(window.location.search, 'page', next === pages[0] ? null : next);
    navigate({ search: to }, { replace: isReplacing });
  };
  return [page, setPage] as const;
}

/** Milliseconds for which a selection stays before it is in the address: browsers stop those who change it all the time. */
const REST = 250;
/** More parts than this are not named in an address. */
const MOST = 60;

const inAddress = () =>
  new URLSearchParams(window.location.search)
    .get('parts')
    ?.split(',')
    .filter((id) => id !== '') ?? [];

/** The selection of the address at first and after going back; what is selected later is written into it. */
export function useSelectionInAddress(
  choose: (ids: readonly string[], current: string | null) => void,
  ids: readonly string[],
) {
  const { key } = useLocation();
  const type = useNavigationType();
  const chosen = useRef(choose);
  chosen.current = choose;
  // biome-ignore lint/correctness/useExhaustiveDependencies: read when one has gone back or forth, which the key tells
  useEffect(() => {
    if (type !== 'POP') return;
    const found = inAddress();
    chosen.current(found, found.at(-1) ?? null);
  }, [key, type]);
  const wanted = ids.length > MOST ? '' : ids.join(',');
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new address has no selection in it yet
  useEffect(() => {
    const timer = window.setTimeout(() => {
      if (inAddress().join(',') === wanted) return;
      // Not by the router: nothing else of the page depends on it.
      const search = withValue(window.location.search, 'parts', wanted || null);
      window.history.replaceState(window.history.state, '', window.location.pathname + search);
    }, REST);
    return () => window.clearTimeout(timer);
  }, [wanted, key]);
}
