import type { Arrangement } from '../../api/calls';
import type { Command } from '../../ledger/commands';
import { Ledger } from '../../ledger/Ledger';
import type { Refused } from '../../ledger/useArrangement';

interface Props {
  illustration: number;
  view: Arrangement;
  chosen: ReadonlySet<string>;
  current: string | null;
  canEdit: boolean;
  refused: readonly Refused[];
  onChoose: (ids: readonly string[], current: string | null) => void;
  act: (command: Command) => void;
  onSettled: (refused: Refused) => void;
}

/** Names, what is shown, what is handed over, and what lies over what. */
export function PutInOrder({ view, ...rest }: Props) {
  return <Ledger rows={view.rows} alone={view.alone} {...rest} />;
}
