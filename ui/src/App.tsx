import { useQuery } from '@tanstack/react-query';
import { Suspense, useEffect, useMemo, useState } from 'react';
import { NavLink, Route, Routes, useLocation, useNavigate } from 'react-router';
import { getWaitingOptions } from './client/@tanstack/react-query.gen';
import { Broken } from './shared/Broken';
import { useEvents } from './shared/events';
import { Help } from './shared/Help';
import { Messages } from './shared/Messages';
import { useKeys } from './shared/keys';
import { Runs } from './shared/Runs';
import { Search } from './shared/Search';
import { NoPage, Opening } from './shared/State';
import { Stations, useStations } from './Stations';
import { Tools } from './Tools';
import { Today } from './today/Today';
import { fetchAhead, views } from './views';

export function App() {
  useEvents();
  useEffect(() => fetchAhead(), []);
  const [help, setHelp] = useState(false);
  const [runs, setRuns] = useState(false);
  const [messages, setMessages] = useState(false);
  const navigate = useNavigate();
  const place = useLocation().pathname;
  const waiting = useQuery(getWaitingOptions()).data;
  const { stations, here } = useStations(place, waiting);
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
        <Stations stations={stations} here={here} />
        <Tools
          waiting={waiting}
          onRuns={() => setRuns(true)}
          onMessages={() => setMessages(true)}
          onHelp={() => setHelp(true)}
        />
      </header>
      <main className="page">
        <Broken place={place}>
          <Suspense fallback={<Opening />}>
            <Routes>
              <Route path="/" element={<Today />} />
              {views.flatMap(({ paths, Shown }) =>
                paths.map((path) => <Route key={path} path={path} element={<Shown />} />),
              )}
              <Route path="*" element={<NoPage />} />
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
