import { ActionIcon, Kbd, Tooltip, useComputedColorScheme, useMantineColorScheme } from '@mantine/core';
import { IconActivity, IconHelp, IconMessage, IconMoon, IconSearch, IconSun } from '@tabler/icons-react';
import type { ReactNode } from 'react';
import type { Waiting } from './client';
import { openSearch } from './shared/Search';

/** What is at hand everywhere: search, runs, messages, the scheme and the keys. */
export function Tools({
  waiting,
  onRuns,
  onMessages,
  onHelp,
}: {
  waiting: Waiting | undefined;
  onRuns: () => void;
  onMessages: () => void;
  onHelp: () => void;
}) {
  const runs = waiting?.runs ?? 0;
  const unread = waiting?.messages ?? 0;
  return (
    <div className="tools">
      <Tool what="Search products, SKUs and files" label="Search, Ctrl K" onClick={openSearch} wide>
        <IconSearch size={17} />
        <Kbd ml={6}>Ctrl K</Kbd>
      </Tool>
      <Tool
        what="Runs"
        label={runs > 0 ? `${runs} running: runs` : 'Runs'}
        onClick={onRuns}
        wide
        lit={runs > 0}
      >
        <IconActivity size={17} />
        <span className="after-icon">{runs > 0 ? `${runs} running` : 'Runs'}</span>
      </Tool>
      <Tool
        what="Messages"
        label={unread > 0 ? `${unread} unread: messages` : 'Messages'}
        onClick={onMessages}
        wide
        lit={unread > 0}
      >
        <IconMessage size={17} />
        {unread > 0 && <span className="after-icon">{unread}</span>}
      </Tool>
      <Scheme />
      <Tool what="Keys" label="Keys" onClick={onHelp}>
        <IconHelp size={18} />
      </Tool>
    </div>
  );
}

function Tool({
  what,
  label,
  onClick,
  wide,
  lit,
  children,
}: {
  what: string;
  label: string;
  onClick: () => void;
  wide?: boolean;
  lit?: boolean;
  children: ReactNode;
}) {
  const room = wide ? { w: 'auto', px: 6 } : {};
  return (
    <Tooltip label={what}>
      <ActionIcon onClick={onClick} aria-label={label} c={lit ? 'var(--accent)' : undefined} {...room}>
        {children}
      </ActionIcon>
    </Tooltip>
  );
}

function Scheme() {
  const { setColorScheme } = useMantineColorScheme();
  const dark = useComputedColorScheme('light') === 'dark';
  const label = dark ? 'Light scheme' : 'Dark scheme';
  return (
    <Tool what={label} label={label} onClick={() => setColorScheme(dark ? 'light' : 'dark')}>
      {dark ? <IconSun size={18} /> : <IconMoon size={18} />}
    </Tool>
  );
}
