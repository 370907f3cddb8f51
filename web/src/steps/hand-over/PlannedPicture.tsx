import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import type { Plan } from '../../api/calls';
import { plannedPicture } from '../../api/handOver';
import classes from './HandOver.module.css';

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
}

/** A picture of the plan as it will be written; it is fetched once it is to be seen, and remembered for a while. */
export function usePlanned({ illustration, plan, only }: PlanSource, file: string, isSeen: boolean) {
  return useQuery({
    queryKey: ['planned-image', illustration, plan.version, plan.recipe, only, file],
    enabled: isSeen,
    retry: false,
    gcTime: 60_000,
    queryFn: ({ signal }) => plannedPicture(illustration, { recipe: plan.recipe, only, file }, signal),
  }).data;
}

/** A picture of the plan exactly as it will be written, made when it comes into view. */
export function PlannedPicture({ source, file, name, isLarge }: Props) {
  const place = useRef<HTMLSpanElement>(null);
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
    <span ref={place} className={classes.picture} data-large={isLarge || undefined} title={name}>
      {address && <img src={address} alt="" />}
    </span>
  );
}

/** An address for a picture that came with a call, for as long as it is looked at. */
function useAddress(picture: Blob | undefined): string | undefined {
  const [address, setAddress] = useState<string>();
  useEffect(() => {
    if (!picture) return undefined;
    const made = URL.createObjectURL(picture);
    setAddress(made);
    return () => URL.revokeObjectURL(made);
  }, [picture]);
  return address;
}
