import { ActionIcon, Kbd, Tooltip, useComputedColorScheme, useMantineColorScheme } from '@mantine/core';
import { IconActivity, IconHelp, IconMessage, IconMoon, IconSearch, IconSun } from '@tabler/icons-react';
import { useQuery } from '@tanstack/react-query';
import { Suspense, useEffect, useMemo, useState } from 'react';
import { Navigate, NavLink, Route, Routes, useLocation, useNavigate } from 'react-router';
import { getWaitingOptions } from './client/@tanstack/react-query.gen';
import { Broken } from './shared/Broken';
import { useEvents } from './shared/events';
import { count } from './shared/format';
import { Help } from './shared/Help';
import { Messages } from './shared/Messages';
import { useKeys } from './shared/keys';
import { Runs } from './shared/Runs';
import { Search, openSearch } from './shared/Search';
import { Opening } from './shared/State';
import { Today } from './today/Today';
import * as view from './views';

export function App() {
  useEvents();
  useEffect(() => view.fetchAhead(), []);
  const [help, setHelp] = useState(false);
  const [runs, setRuns] = useState(false);
  const [messages, setMessages] = useState(false);
  const navigate = useNavigate();
  const place = useLocation().pathname;
  const waiting = useQuery(getWaitingOptions()).data;
  const stations = useMemo(
    () => [
      { to: '/', name: 'Today', under: ['/'], waits: undefined, what: '' },
      {
        to: '/gather',
        name: 'Gather',
        under: ['/gather', '/lots', '/origins', '/recipes', '/single', '/scan', '/lookups'],
        waits: waiting?.receiving,
        what: 'lots on their way in',
      },
      {
        to: '/pair',
        name: 'Pair',
        under: ['/pair', '/plans'],
        waits: waiting?.undecided,
        what: 'files undecided',
      },
      {
        to: '/catalog',
        name: 'Catalog',
        under: ['/catalog', '/products'],
        waits: waiting?.noPicture,
        what: 'products without a picture',
      },
    ],
    [waiting],
  );
  const here = stations.findLastIndex((s) =>
    s.under.some((u) => (u === '/' ? place === '/' : place.startsWith(u))),
  );
  const keys = useMemo(() => {
    const go = (step: number) => {
      const next = stations[(here + step + stations.length) % stations.length];
      if (next) void navigate(next.to);
    };
    return {
      '?': () => setHelp(true),
      r: () => setRuns((open) => !open),
      i: () => setMessages((open) => !open),
      '[': () => go(-1),
      ']': () => go(1),
    };
  }, [here, navigate, stations]);
  useKeys(keys);

  return (
    <>
      <header className="strip">
        <NavLink to="/" className="mark">
          Ambrosa
        </NavLink>
        <nav className="rail" aria-label="Stations">
          {stations.map((s, i) => (
            <NavLink
              key={s.to}
              to={s.to}
              className={`station${i === here ? ' here' : ''}`}
              aria-current={i === here ? 'page' : undefined}
            >
              <span>{s.name}</span>
              {s.waits !== undefined && (
                <span
                  className={`count${s.waits === 0 ? ' none' : ''}`}
                  title={`${count(s.waits)} ${s.what}`}
                >
                  {count(s.waits)}
                </span>
              )}
            </NavLink>
          ))}
        </nav>
        <div className="tools">
          <Tooltip label="Search products, SKUs and files">
            <ActionIcon onClick={openSearch} aria-label="Search, Ctrl K" w="auto" px={6}>
              <IconSearch size={17} />
              <Kbd ml={6}>Ctrl K</Kbd>
            </ActionIcon>
          </Tooltip>
          <Tooltip label="Runs">
            <ActionIcon
              onClick={() => setRuns(true)}
              aria-label={waiting?.runs ? `${waiting.runs} running: runs` : 'Runs'}
              w="auto"
              px={6}
              c={waiting?.runs ? 'var(--accent)' : undefined}
            >
              <IconActivity size={17} />
              <span className="after-icon">{waiting?.runs ? `${waiting.runs} running` : 'Runs'}</span>
            </ActionIcon>
          </Tooltip>
          <Tooltip label="Messages">
            <ActionIcon
              onClick={() => setMessages(true)}
              aria-label={waiting?.messages ? `${waiting.messages} unread: messages` : 'Messages'}
              w="auto"
              px={6}
              c={waiting?.messages ? 'var(--accent)' : undefined}
            >
              <IconMessage size={17} />
              {waiting?.messages ? <span className="after-icon">{waiting.messages}</span> : null}
            </ActionIcon>
          </Tooltip>
          <Scheme />
          <Tooltip label="Keys">
            <ActionIcon onClick={() => setHelp(true)} aria-label="Keys">
              <IconHelp size={18} />
            </ActionIcon>
          </Tooltip>
        </div>
      </header>
      <main className="page">
        <Broken place={place}>
          <Suspense fallback={<Opening />}>
            <Routes>
              <Route path="/" element={<Today />} />
              <Route path="/gather" element={<view.Gather />} />
              <Route path="/lots/:id" element={<view.LotPage />} />
              <Route path="/origins/:id" element={<view.OriginPage />} />
              <Route path="/scan" element={<view.Scan />} />
              <Route path="/single" element={<view.SinglePage />} />
              <Route path="/recipes/new" element={<view.Workshop />} />
              <Route path="/recipes/:id" element={<view.Workshop />} />
              <Route path="/pair" element={<view.PairStart />} />
              <Route path="/pair/:id" element={<view.Bench />} />
              <Route path="/plans/:id" element={<view.PlanPage />} />
              <Route path="/catalog" element={<view.Catalog />} />
              <Route path="/products/:id" element={<view.ProductPage />} />
              <Route path="*" element={<Navigate to="/" replace />} />
            </Routes>
          </Suspense>
        </Broken>
      </main>
      <Search />
      <Help open={help} onClose={() => setHelp(false)} />
      <Messages open={messages} onClose={() => setMessages(false)} />
      <Runs open={runs} onClose={() => setRuns(false)} />
    </>
  );
}

function Scheme() {
  const { setColorScheme } = useMantineColorScheme();
  const dark = useComputedColorScheme('light') === 'dark';
  const label = dark ? 'Light scheme' : 'Dark scheme';
  return (
    <Tooltip label={label}>
      <ActionIcon onClick={() => setColorScheme(dark ? 'light' : 'dark')} aria-label={label}>
        {dark ? <IconSun size={18} /> : <IconMoon size={18} />}
      </ActionIcon>
    </Tooltip>
  );
}
