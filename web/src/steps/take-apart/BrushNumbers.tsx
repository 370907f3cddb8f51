import { Dial } from './Dial';
import type { Changing } from './useChanging';
import { brushNumbers as words } from './words';

/** How large a brush is, and how hard. */
export function BrushNumbers({ changing, withHardness }: { changing: Changing; withHardness: boolean }) {
  return (
    <>
      <Dial label={words.sizePx} least={1} most={200} value={changing.size} onChange={changing.setSize} />
      {withHardness && (
        <Dial
          label={words.hardness}
          least={0}
          most={100}
          value={Math.round(changing.hardness * 100)}
          onChange={(percent) => changing.setHardness(percent / 100)}
        />
      )}
    </>
  );
}
