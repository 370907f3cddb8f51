import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import type { Plan } from '../../api/calls';
import { csrfToken, refusalOf } from '../../api/client';
import classes from './HandOver.module.css';

interface Props {
  illustration: number;
  plan: Plan;
  file: string;
  name: string;
  /** Whether there is much on it, so that it is shown larger. */
  isLarge: boolean;
  /** Told how many bytes it has, once it is there. */
  onBytes: (file: string, bytes: number) => void;
}

/** A picture of the plan exactly as it will be written, made when it comes into view. */
export function PlannedPicture({ illustration, plan, file, name, isLarge, onBytes }: Props) {
  const place = useRef<HTMLSpanElement>(null);
  const [isSeen, setSeen] = useState(false);
  useEffect(() => {
    const watch = new IntersectionObserver(([entry]) => entry?.isIntersecting && setSeen(true), {
      rootMargin: '120px',
    });
    if (place.current) watch.observe(place.current);
    return () => watch.disconnect();
  }, []);
  const picture = useQuery({
    queryKey: ['planned-image', illustration, plan.version, plan.recipe, file],
    enabled: isSeen,
    retry: false,
    gcTime: 60_000,
    queryFn: async ({ signal }) => {
      const answer = await fetch(`/api/illustrations/${illustration}/plan/image`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', 'X-CSRFToken': csrfToken() },
        body: JSON.stringify({ recipe: plan.recipe, file }),
        signal,
      });
      if (!answer.ok) throw refusalOf(answer.status, await answer.text());
      return answer.blob();
    },
  });
  const address = useAddress(picture.data);
  const size = picture.data?.size;
  useEffect(() => {
    // A TIFF is shown as a PNG of its pixels.
    if (size !== undefined && !file.endsWith('.tif')) onBytes(file, size);
  }, [file, size, onBytes]);
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
