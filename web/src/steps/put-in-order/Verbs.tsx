import { Button } from '@mantine/core';
import type { Act } from '../../ledger/useArrangement';
import classes from './BenchDrawer.module.css';
import type { Verb } from './verbs';

/** Buttons that each carry out one command. */
export function Verbs({ verbs, act }: { verbs: readonly Verb[]; act: Act }) {
  return verbs.map(({ label, command, shortcut, title, off }) => (
    <Button
      key={label}
      size="compact-sm"
      variant="default"
      disabled={off ?? false}
      title={title}
      aria-keyshortcuts={shortcut}
      onClick={() => act(command)}
    >
      {label} {shortcut && <Key name={shortcut} />}
    </Button>
  ));
}

/** The key that does what a button does. */
export function Key({ name }: { name: string }) {
  return (
    <span className={classes.key} aria-hidden="true">
      {name}
    </span>
  );
}
