import { Button, Menu, Modal } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Dispatch, Outlet } from '../client';
import { listDispatchesOptions } from '../client/@tanstack/react-query.gen';
import { bytes, count, some, when } from '../shared/format';
import { History } from '../record/History';
import { Empty, Failed } from '../shared/State';
import css from './Dispatch.module.css';
import { PackageLink } from './PackageLink';
import { Receipt } from './Receipt';

/** What went to an outlet, and when: each with its package and its receipt. */
export function Dispatches({ outlet, onRemove }: { outlet: Outlet; onRemove: () => void }) {
  const dispatches = useQuery(listDispatchesOptions({ query: { outlet: outlet.id } }));
  const [open, setOpen] = useState(0);
  const [sure, setSure] = useState(false);
  if (dispatches.error) return <Failed error={dispatches.error} again={() => void dispatches.refetch()} />;
  if (!dispatches.data) return null;
  return (
    <div className="scroll pad">
      {dispatches.data.items.length === 0 && <Empty title="Nothing went there yet." />}
      <section className="sheet" aria-label="What went">
        {dispatches.data.items.map((d) => (
          <div key={d.id}>
            <Line dispatch={d} on={open === d.id} onOpen={() => setOpen(open === d.id ? 0 : d.id)} />
            {open === d.id && <Receipt dispatch={d} />}
          </div>
        ))}
      </section>
      <History kind="outlet" id={outlet.id} />
      <Button variant="subtle" onClick={() => setSure(true)}>
        Forget this outlet…
      </Button>
      <Modal opened={sure} onClose={() => setSure(false)} title={`Forget ${outlet.name}?`}>
        <p className="flush">What it wants is forgotten. What went there, with its receipts, stays known.</p>
        <div className="spread">
          <Button variant="filled" onClick={onRemove}>
            Forget it
          </Button>
          <Button onClick={() => setSure(false)}>Leave it</Button>
        </div>
      </Modal>
    </div>
  );
}

/** What did not go, and what was taken away. */
const besides = (d: Dispatch) =>
  [
    d.held > 0 && `${count(d.held)} held back`,
    d.removed > 0 && `${count(d.removed)} taken away`,
    d.mailedAt && `mailed ${when(d.mailedAt)}`,
  ]
    .filter(Boolean)
    .join(', ');

function Line({ dispatch: d, on, onOpen }: { dispatch: Dispatch; on: boolean; onOpen: () => void }) {
  return (
    <div className={`row pick ${css.dispatch}`}>
      <button className="link clip" aria-expanded={on} onClick={onOpen}>
        <strong>{when(d.at)}</strong>, {d.actor}
      </button>
      <span className="num">{some(d.pictures, 'picture')}</span>
      <span className="num quiet">{some(d.products, 'product')}</span>
      <span className="num">{bytes(d.size || d.bytes)}</span>
      <span className="quiet clip">{d.endedAt ? besides(d) : 'goes on, or was stopped'}</span>
      {d.endedAt && (
        <>
          <Package dispatch={d} />
          {packed(d) && d.size > 0 && !d.letGoAt && <PackageLink dispatch={d} />}
          <Button component="a" size="compact-xs" href={`/media/dispatches/${d.id}`}>
            Receipt as CSV
          </Button>
        </>
      )}
    </div>
  );
}

/** It was packed, in the stead of being put somewhere. */
const packed = (d: Dispatch) => d.kind === 'package' || d.kind === 'mail';

/** What takes the package, part by part where it has several. */
function Package({ dispatch: d }: { dispatch: Dispatch }) {
  if (!packed(d)) return <span />;
  if (d.size === 0 || d.letGoAt)
    return <span className="quiet">{d.size > 0 ? 'package past its term' : 'nothing went'}</span>;
  const path = `/media/packages/${d.id}`;
  if (d.parts < 2)
    return (
      <Button component="a" size="compact-xs" variant="filled" href={path}>
        Package
      </Button>
    );
  return (
    <Menu position="bottom-end">
      <Menu.Target>
        <Button size="compact-xs" variant="filled">
          {count(d.parts)} parts…
        </Button>
      </Menu.Target>
      <Menu.Dropdown mah={320} className="scrolls">
        {Array.from({ length: d.parts }, (_, i) => (
          <Menu.Item key={i} component="a" href={`${path}?part=${i + 1}`}>
            Part {i + 1} of {d.parts}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}
