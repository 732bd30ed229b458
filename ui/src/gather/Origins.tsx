import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Origin } from '../client';
import {
  fetchOriginMutation,
  listOriginKindsOptions,
  listOriginsOptions,
} from '../client/@tanstack/react-query.gen';
import { count, said, when } from '../shared/format';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { OriginForm } from './OriginForm';
import css from './Origins.module.css';

/** The places that files are fetched from, and how each of them does. */
export function Origins() {
  const origins = useQuery(listOriginsOptions());
  const [adding, setAdding] = useState(false);
  const list = origins.data?.items ?? [];
  return (
    <section className="sheet">
      <h2 className="spread wrap">
        Origins
        <span className="spread push tight">
          <Button component={Link} to="/scan">
            Scan…
          </Button>
          <Button component={Link} to="/single">
            One page…
          </Button>
          <Button component={Link} to="/recipes/new">
            A supplier’s site…
          </Button>
          <Button onClick={() => setAdding(true)}>Add a drive or service…</Button>
        </span>
      </h2>
      {origins.error && <Failed error={origins.error} again={() => void origins.refetch()} />}
      {origins.data && list.length === 0 && (
        <Empty title="No origin yet.">
          An origin is a supplier’s drive or site. Files are fetched from it by hand or on a timetable, and
          only those that are new or changed.
        </Empty>
      )}
      {list.length > 0 && (
        <div className={`row th ${css.line}`}>
          <span>Name</span>
          <span>Kind</span>
          <span>State</span>
          <span className="num">Fetched</span>
          <span className="num">Next</span>
          <span className="num">Files</span>
          <span className="num">Gone</span>
          <span />
        </div>
      )}
      {list.map((o) => (
        <OriginLine key={o.id} origin={o} />
      ))}
      <OriginForm open={adding} onClose={() => setAdding(false)} />
    </section>
  );
}

function OriginLine({ origin: o }: { origin: Origin }) {
  const label = useKindLabel(o.kind);
  return (
    <div className={`row pick ${css.line}`}>
      <Link className="link clip" to={`/origins/${o.id}`}>
        {o.name}
      </Link>
      <span className="clip quiet">{label}</span>
      <OriginState origin={o} />
      <span className="num quiet">{o.fetchedAt ? when(o.fetchedAt) : 'never'}</span>
      <span className="num quiet">{o.nextAt ? when(o.nextAt) : 'by hand'}</span>
      <span className="num">{count(o.files)}</span>
      <span className={o.gone ? 'num' : 'num faint'}>{count(o.gone)}</span>
      {o.kind === 'pages' || o.kind === 'lookup' ? (
        <Button component={Link} to={`/origins/${o.id}`} size="compact-xs">
          Open
        </Button>
      ) : (
        <FetchButton origin={o} />
      )}
    </div>
  );
}

export function OriginState({ origin: o }: { origin: Origin }) {
  if (o.running) return <span className="clip accent">fetching</span>;
  if (o.state === 'failing')
    return (
      <span className="clip bad" title={o.message}>
        {o.message}
      </span>
    );
  return <span className="clip quiet">ready</span>;
}

export function FetchButton({ origin, filled = false }: { origin: Origin; filled?: boolean }) {
  const fetch = useMutation({
    ...fetchOriginMutation(),
    onError: (e) => tell('Nothing is fetched', said(e), true),
  });
  return (
    <Button
      variant={filled ? 'filled' : 'default'}
      {...(filled ? {} : { size: 'compact-xs' })}
      disabled={origin.running}
      loading={fetch.isPending}
      onClick={() => fetch.mutate({ path: { id: origin.id } })}
    >
      Fetch
    </Button>
  );
}

const labels: Record<string, string> = {
  recipe: 'Page recipe',
  pages: 'Single pages',
  lookup: 'Barcode lookup',
};

export function useKindLabel(name: string): string {
  const kinds = useQuery({ ...listOriginKindsOptions(), staleTime: Infinity });
  return labels[name] ?? kinds.data?.items.find((k) => k.name === name)?.label ?? name;
}
