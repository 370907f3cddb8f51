import '@fontsource-variable/source-sans-3/index.css';
import '@mantine/core/styles.css';
import '@mantine/notifications/styles.css';
import './theme.css';
import { MantineProvider } from '@mantine/core';
import { Notifications } from '@mantine/notifications';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { askAhead } from '../api/calls';
import { Refusal } from '../api/client';
import { Pages } from './Pages';
import { theme, variables } from './theme';

const queries = new QueryClient({
  defaultOptions: {
    // A refusal is an answer; only silence is worth asking again.
    queries: {
      retry: (times, error) => times < 3 && !(error instanceof Refusal && error.status > 0 && error.status < 500),
    },
  },
});

const opened = /^\/illustrations\/(\d+)\//.exec(window.location.pathname);
if (opened) askAhead(queries, Number(opened[1]));

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <MantineProvider theme={theme} cssVariablesResolver={variables} defaultColorScheme="auto">
      <Notifications position="bottom-right" />
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Pages />
        </BrowserRouter>
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
