import { Button } from '@mantine/core';
import classes from './Ledger.module.css';
import type { Act, Refused } from './useArrangement';

interface Props {
  refused: readonly Refused[];
  act: Act;
  onSettled: (refused: Refused) => void;
}

/** What the server took back, each with what to do about it. */
export function RefusedSteps({ refused, act, onSettled }: Props) {
  return (
    <div role="alert">
      {refused.map((one) => {
        const [row] = one.command?.do === 'rename-rows' ? Object.keys(one.command.names) : [];
        const { proposal } = one.refusal;
        return (
          <div key={one.refusal.message} className={classes.refused}>
            <span>{one.refusal.message}</span>
            {row && proposal && (
              <Button
                size="compact-xs"
                onClick={() => {
                  onSettled(one);
                  act({ do: 'rename-rows', names: { [row]: proposal } });
                }}
              >
                Use '{proposal}'
              </Button>
            )}
            <Button size="compact-xs" variant="default" onClick={() => onSettled(one)}>
              Dismiss
            </Button>
          </div>
        );
      })}
    </div>
  );
}
