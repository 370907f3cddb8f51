import { Button, Menu, Text } from '@mantine/core';
import type { Act } from '../../ledger/useArrangement';
import classes from './BenchDrawer.module.css';
import type { Verb } from './verbs';
import { makeMenu as words } from './words';

/** What can be made of the selection; what cannot says what it needs. */
export function MakeMenu({ verbs, off, act }: { verbs: readonly Verb[]; off: boolean; act: Act }) {
  return (
    <Menu position="top-start" withinPortal>
      <Menu.Target>
        <Button size="compact-sm" variant="default" disabled={off}>
          {words.make}
        </Button>
      </Menu.Target>
      <Menu.Dropdown>
        {verbs.map((verb) => (
          // What is off has the focus like the others, so that its reason is read out.
          <Menu.Item
            key={verb.label}
            className={classes.item}
            aria-disabled={verb.off ?? false}
            data-disabled={verb.off || undefined}
            closeMenuOnClick={!verb.off}
            onClick={() => !verb.off && act(verb.command)}
          >
            {verb.label}
            {verb.title && <Text size="xs">{verb.title}</Text>}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}
