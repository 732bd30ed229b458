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
import { fetchFor } from './views';

// Whoever comes by a supplier link needs nothing of the application, and the other way round. What is needed
// is fetched at once, side by side: what cannot be had is said where it is shown.
const app = async () => ({ default: (await import('./App')).App });
const handIn = async () => ({ default: (await import('./handin/HandIn')).HandIn });
const App = lazy(app);
const HandIn = lazy(handIn);
const place = window.location.pathname;
if (place.startsWith('/hand-in/')) {
  void handIn().catch(() => undefined);
} else {
  void app().catch(() => undefined);
  fetchFor(place);
}

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
