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
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Route, Routes } from 'react-router';
import { App } from './App';
import { HandIn } from './handin/HandIn';
import { colours, theme } from './theme';

const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 5_000, retry: 1, refetchOnWindowFocus: false } } });
const root = document.getElementById('root');
if (!root) throw new Error('the page has no root');

createRoot(root).render(
  <StrictMode>
    <MantineProvider theme={theme} cssVariablesResolver={colours} defaultColorScheme="auto">
      <QueryClientProvider client={queries}>
        <Notifications position="bottom-left" autoClose={6000} />
        <BrowserRouter>
          <Routes><Route path="/hand-in/:token" element={<HandIn />} /><Route path="*" element={<App />} /></Routes>
        </BrowserRouter>
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
