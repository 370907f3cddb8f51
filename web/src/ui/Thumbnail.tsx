import { useThumbnail } from '../api/thumbnails';

interface Props {
  illustration: number;
  digest: string | null;
  className?: string | undefined;
}

/** A small picture of a part; nothing where it has none. */
export function Thumbnail({ illustration, digest, className }: Props) {
  const address = useThumbnail(illustration, digest);
  if (digest === null) return null;
  return <img className={className} src={address} alt="" draggable={false} />;
}
