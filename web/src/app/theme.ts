import {
  type CSSVariablesResolver,
  createTheme,
  type MantineColorsTuple,
  Menu,
  Notification,
  SegmentedControl,
} from '@mantine/core';
import { theme as words } from './words';

const petrol: MantineColorsTuple = [
  '#e6f3f3',
  '#cfe4e4',
  '#a3cbcc',
  '#73b0b2',
  '#4b999c',
  '#318a8e',
  '#1f8287',
  '#0f7075',
  '#0f5c63',
  '#0a4b51',
];

/** Calm, neutral surfaces; petrol for what is active, amber for what wants attention. */
export const theme = createTheme({
  primaryColor: 'petrol',
  primaryShade: { light: 8, dark: 8 },
  colors: { petrol },
  fontFamily: '"Source Sans 3 Variable", sans-serif',
  defaultRadius: 'sm',
  cursorType: 'pointer',
  components: {
    Notification: Notification.extend({ defaultProps: { closeButtonProps: { 'aria-label': words.dismiss } } }),
    // Its first item has the focus, and nothing else is in it: a menu holds items only.
    Menu: Menu.extend({ defaultProps: { withInitialFocusPlaceholder: false, menuItemTabIndex: 0 } }),
    SegmentedControl: SegmentedControl.extend({
      styles: {
        root: { background: 'var(--hairline)' },
        indicator: { background: 'var(--paper-raised)' },
        label: { color: 'var(--ink)' },
      },
    }),
  },
});

/** The component library takes its surfaces from ours (theme.css), so that both themes are defined in one place. */
export const variables: CSSVariablesResolver = () => {
  const surfaces = {
    '--mantine-color-body': 'var(--paper)',
    '--mantine-color-text': 'var(--ink)',
    '--mantine-color-default': 'var(--paper-raised)',
    '--mantine-color-default-border': 'var(--hairline-strong)',
    '--mantine-color-dimmed': 'var(--ink-soft)',
    '--mantine-color-placeholder': 'var(--ink-soft)',
    '--mantine-color-error': '#b3261e',
    '--mantine-color-disabled': 'transparent',
    '--mantine-color-disabled-color': 'var(--ink-faint)',
    '--mantine-color-disabled-border': 'var(--hairline)',
  };
  return { variables: {}, light: surfaces, dark: { ...surfaces, '--mantine-color-error': '#ffb4ab' } };
};
