/** How far somebody is on the walk through an illustration, in this tab. */
import { useSessionStorage } from '@mantine/hooks';
import { useNavigate } from 'react-router';

interface Walking {
  illustration: number;
  stop: number;
}

/** Null while nobody walks. */
export function useWalking() {
  return useSessionStorage<Walking | null>({ key: 'walk', defaultValue: null });
}

/** Begin at the first stop. */
export function useWalk() {
  const [, setWalking] = useWalking();
  const navigate = useNavigate();
  return (illustration: number) => {
    setWalking({ illustration, stop: 0 });
    navigate(`/illustrations/${illustration}/bring-in?page=report`);
  };
}
