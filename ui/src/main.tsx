import '@fontsource-variable/source-sans-3';
import '@fontsource/atkinson-hyperlegible-mono/400.css';
import '@fontsource/atkinson-hyperlegible-mono/700.css';
import '@mantine/core/styles.css';
import '@mantine/notifications/styles.css';
import '@mantine/spotlight/styles.css';
import './theme.css';

import { MantineProvider } from '@mantine/core';
import { Notifications } from '@mantine/notifications';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode, Suspense } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, matchPath, Route, Routes } from 'react-router';
import { Broken } from './shared/Broken';
import { Opening } from './shared/State';
import { colours, theme } from './theme';
import { fetchFor, view } from './views';

// Whoever comes by a supplier link needs nothing of the application, and the other way round.
const handIn = view(['/hand-in/:token'], async () => ({
  default: (await import('./handin/HandIn')).HandIn,
}));
const app = view(['*'], async () => ({ default: (await import('./App')).App }));

const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: 5_000, retry: 1, refetchOnWindowFocus: false } },
});
const root = document.getElementById('root');
if (!root) throw new Error('the page has no root');

const place = window.location.pathname;
const frame = matchPath('/hand-in/:token', place) ? handIn : app;

// The frame and what is opened in it are fetched side by side, and shown in one piece.
await Promise.allSettled([frame.fetch(), frame === app && fetchFor(place)]);
createRoot(root).render(
  <StrictMode>
    <MantineProvider theme={theme} cssVariablesResolver={colours} defaultColorScheme="auto">
      <QueryClientProvider client={queries}>
        <Notifications position="bottom-left" autoClose={6000} />
        <BrowserRouter>
          <Broken place={place}>
            <Suspense fallback={<Opening />}>
              <Routes>
                {[handIn, app].map(({ paths, Shown }) => (
                  <Route key={paths[0]} path={paths[0]} element={<Shown />} />
                ))}
              </Routes>
            </Suspense>
          </Broken>
        </BrowserRouter>
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
