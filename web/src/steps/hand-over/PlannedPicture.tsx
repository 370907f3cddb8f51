import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import type { Plan } from '../../api/calls';
import { plannedPicture } from '../../api/handOver';
import classes from './HandOver.module.css';
import { plannedPicture as words } from './words';

/** A plan, and of which rows it is where it is not of all. */
export interface PlanSource {
  illustration: number;
  plan: Plan;
  only: readonly string[] | null;
}

interface Props {
  source: PlanSource;
  file: string;
  name: string;
  /** Whether there is much on it, so that it is shown larger. */
  isLarge: boolean;
  /** Opens it at its full size. */
  onOpen: () => void;
}

/** A picture of the plan as it will be written; it is fetched once it is to be seen, and remembered for a while. */
export function usePlanned(source: PlanSource, file: string, isSeen: boolean) {
  return useQuery({ ...plannedQuery(source, file), enabled: isSeen }).data;
}

/** What asks for a picture of the plan. */
export const plannedQuery = ({ illustration, plan, only }: PlanSource, file: string) => ({
  queryKey: ['planned-image', illustration, plan.version, plan.recipe, only, file],
  retry: false,
  gcTime: 60_000,
  queryFn: ({ signal }: { signal: AbortSignal }) =>
    plannedPicture(illustration, { recipe: plan.recipe, only, file }, signal),
});

/** A picture of the plan exactly as it will be written, made when it comes into view. */
export function PlannedPicture({ source, file, name, isLarge, onOpen }: Props) {
  const place = useRef<HTMLButtonElement>(null);
  const [isSeen, setSeen] = useState(false);
  useEffect(() => {
    const watch = new IntersectionObserver(([entry]) => entry?.isIntersecting && setSeen(true), {
      rootMargin: '120px',
    });
    if (place.current) watch.observe(place.current);
    return () => watch.disconnect();
  }, []);
  const address = useAddress(usePlanned(source, file, isSeen));
  return (
    <button
      type="button"
      ref={place}
      className={classes.picture}
      data-large={isLarge || undefined}
      aria-label={words.showAtFullSize(name)}
      title={name}
      onClick={(event) => {
        event.stopPropagation();
        onOpen();
      }}
    >
      {address && <img src={address} alt="" />}
    </button>
  );
}

/** An address for a picture that came with a call, for as long as it is looked at. */
export function useAddress(picture: Blob | undefined): string | undefined {
  const [address, setAddress] = useState<string>();
  useEffect(() => {
    if (!picture) return undefined;
    const made = URL.createObjectURL(picture);
    setAddress(made);
    return () => URL.revokeObjectURL(made);
  }, [picture]);
  return address;
}
