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
import { lazy, StrictMode, Suspense } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Route, Routes } from 'react-router';
import { Opening } from './shared/State';
import { colours, theme } from './theme';

// Whoever comes by a supplier link needs nothing of the application, and the other way round.
const App = lazy(() => import('./App').then((m) => ({ default: m.App })));
const HandIn = lazy(() => import('./handin/HandIn').then((m) => ({ default: m.HandIn })));

const queries = new QueryClient({
  defaultOptions: { queries: { staleTime: 5_000, retry: 1, refetchOnWindowFocus: false } },
});
const root = document.getElementById('root');
if (!root) throw new Error('the page has no root');

createRoot(root).render(
  <StrictMode>
    <MantineProvider theme={theme} cssVariablesResolver={colours} defaultColorScheme="auto">
      <QueryClientProvider client={queries}>
        <Notifications position="bottom-left" autoClose={6000} />
        <BrowserRouter>
          <Suspense fallback={<Opening />}>
            <Routes>
              <Route path="/hand-in/:token" element={<HandIn />} />
              <Route path="*" element={<App />} />
            </Routes>
          </Suspense>
        </BrowserRouter>
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
