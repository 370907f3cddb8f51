import { Button } from '@mantine/core';
import type { Row } from '../api/calls';
import classes from './Ledger.module.css';
import type { Act, Refused } from './useArrangement';
import { refusedSteps as words } from './words';

interface Props {
  rows: readonly Row[];
  refused: readonly Refused[];
  act: Act;
  onSettled: (refused: Refused) => void;
}

/** What the server took back, each with what to do about it: nothing that was typed is lost. */
export function RefusedSteps({ rows, refused, act, onSettled }: Props) {
  return (
    <>
      {refused.map((one) => {
        const { command, refusal } = one;
        const named = command?.do === 'rename-rows' ? Object.entries(command.names) : [];
        const [row, name] = named[0] ?? [];
        const isNamed = named.length === 1 && row !== undefined;
        const theirs = isNamed ? rows.find(({ id }) => id === row)?.name : undefined;
        const isTheirs = refusal.code === 'changed-meanwhile' && command !== null;
        const again = (wanted: typeof command) => {
          onSettled(one);
          if (wanted) act(wanted);
        };
        return (
          <div key={refusal.message} role="alert" className={classes.refused}>
            <span>{refusal.message}</span>
            {isNamed && refusal.proposal && (
              <Button
                size="compact-xs"
                onClick={() => again({ do: 'rename-rows', names: { [row]: refusal.proposal ?? '' } })}
              >
                {words.use(refusal.proposal)}
              </Button>
            )}
            {isTheirs && (
              <Button size="compact-xs" onClick={() => again(command)}>
                {isNamed ? words.toUseMy(name) : words.repeatMyStep}
              </Button>
            )}
            <Button size="compact-xs" variant="default" onClick={() => onSettled(one)}>
              {isTheirs ? (theirs ? words.keep(theirs) : words.keepTheChange) : words.dismiss}
            </Button>
          </div>
        );
      })}
    </>
  );
}
