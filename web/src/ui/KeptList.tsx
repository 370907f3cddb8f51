import { Button } from '@mantine/core';
import type { Schemas } from '../api/client';
import classes from './KeptList.module.css';
import { keptList as words } from './words';

type Kept = Schemas['Kept'];

const KINDS: Record<Kept['kind'], { name: string; use: string | null }> = {
  motion: { name: words.motionUsedInTryOut, use: null },
  template: { name: 'template', use: words.apply },
  list: { name: 'list', use: words.toUseList },
  part: { name: 'part', use: words.add },
};

interface Props {
  kept: readonly Kept[];
  canEdit: boolean;
  /** Null where no illustration is open to use it in. */
  onUse: ((one: Kept) => void) | null;
  onRemove: (one: Kept) => void;
}

/** What lies on one's shelf. */
export function KeptList({ kept, canEdit, onUse, onRemove }: Props) {
  return (
    <ul className={classes.list} aria-label={words.onTheShelf}>
      {kept.map((one) => (
        <li key={one.id} className={classes.kept}>
          {one.has_picture && <img src={`/api/shelf/${one.id}/picture`} alt="" />}
          <span className={classes.name}>
            {one.name} <span className={classes.kind}>{KINDS[one.kind].name}</span>
          </span>
          {onUse && KINDS[one.kind].use && (
            <Button size="compact-xs" variant="default" disabled={!canEdit} onClick={() => onUse(one)}>
              {KINDS[one.kind].use}
            </Button>
          )}
          <Button size="compact-xs" variant="subtle" onClick={() => onRemove(one)}>
            {words.remove}
          </Button>
        </li>
      ))}
    </ul>
  );
}
