import { Button } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { LinkMade, RequestShot, ShotRequest } from '../client';
import {
  closeRequestMutation,
  listRequestShotsOptions,
  listRequestsOptions,
} from '../client/@tanstack/react-query.gen';
import { AskSupplier, LinkAddress } from '../gather/AskSupplier';
import { count, said, some, when } from '../shared/format';
import { Bar, Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import css from './Coverage.module.css';

/** Pictures that somebody was asked for, and what of them came. */
export function Requests() {
  const requests = useQuery(listRequestsOptions());
  const [open, setOpen] = useState(0);
  if (requests.error) return <Failed error={requests.error} again={() => void requests.refetch()} />;
  if (!requests.data) return <div />;
  const all = requests.data.items;
  if (all.length === 0)
    return (
      <Empty title="Nobody was asked for pictures yet.">
        On <Link to="/dispatch/coverage">Coverage</Link>, what is missing can be asked for.
      </Empty>
    );
  return (
    <section className="scroll pad" aria-label="Requests">
      <div className="sheet">
        {all.map((r) => (
          <div key={r.id}>
            <Line request={r} on={open === r.id} onOpen={() => setOpen(open === r.id ? 0 : r.id)} />
            {open === r.id && <Shots request={r} />}
          </div>
        ))}
      </div>
    </section>
  );
}

interface LineProps {
  request: ShotRequest;
  on: boolean;
  onOpen: () => void;
}

function Line({ request: r, on, onOpen }: LineProps) {
  const client = useQueryClient();
  const close = useMutation({
    ...closeRequestMutation(),
    onError: (e) => tell('Nothing changed', said(e), true),
    onSuccess: () => void client.invalidateQueries(),
  });
  return (
    <div className={`row pick ${css.request}`}>
      <button className="link clip" aria-expanded={on} onClick={onOpen}>
        <strong>{r.name}</strong>
      </button>
      <span className="quiet clip" title={r.category}>
        {when(r.at)}, {r.actor}
        {r.category && `: ${r.category}`}
      </span>
      <Bar done={r.came + r.otherwise} total={r.shots} label={`Came of ${r.name}`} />
      <span
        className="num"
        title={
          r.otherwise > 0 ? `${count(r.otherwise)} more are filled by pictures from before the request` : ''
        }
      >
        {count(r.came)} of {some(r.shots, 'picture')} came
        {r.otherwise > 0 && <span className="quiet">, {count(r.otherwise)} filled by older pictures</span>}
      </span>
      <Button component="a" size="compact-xs" href={`/media/requests/${r.id}`}>
        XLSX
      </Button>
      <Button component="a" size="compact-xs" href={`/media/requests/${r.id}?format=csv`}>
        CSV
      </Button>
      <ForSupplier request={r} />
      {r.came + r.otherwise < r.shots ? (
        <Button
          size="compact-xs"
          variant="subtle"
          onClick={() => close.mutate({ path: { id: r.id }, body: { open: Boolean(r.closedAt) } })}
        >
          {r.closedAt ? 'Wait for it again' : 'Wait no more'}
        </Button>
      ) : (
        <span className="quiet">{r.otherwise > 0 ? 'all are there' : 'all came'}</span>
      )}
    </div>
  );
}

/** Gives out a link by which a supplier sees what is waited for, and hands it in. */
function ForSupplier({ request }: { request: ShotRequest }) {
  const [asking, setAsking] = useState(false);
  const [made, setMade] = useState<LinkMade>();
  if (request.came + request.otherwise >= request.shots) return <span />;
  return (
    <>
      <Button size="compact-xs" onClick={() => setAsking(true)}>
        Link…
      </Button>
      {asking && (
        <AskSupplier
          request={request}
          onMade={(m) => {
            setAsking(false);
            setMade(m);
          }}
          onClose={() => setAsking(false)}
        />
      )}
      {made && <LinkAddress made={made} onClose={() => setMade(undefined)} />}
    </>
  );
}

/** What became of a picture that was asked for. */
const came = (s: RequestShot) => {
  if (!s.cameAt) return 'waited for';
  return s.otherwise ? `filled by an older picture ${when(s.cameAt)}` : `came ${when(s.cameAt)}`;
};

/** How many pictures of a request are shown; all are in the sheet. */
const shown = 200;

function Shots({ request }: { request: ShotRequest }) {
  const shots = useQuery(listRequestShotsOptions({ path: { id: request.id }, query: { limit: shown } }));
  if (shots.error) return <Failed error={shots.error} />;
  return (
    <div className={css.asked}>
      {shots.data?.items.map((s) => (
        <div key={s.n} className={`row ${css.askedLine}`}>
          <span className="mono clip" title={s.name}>
            {s.name}
          </span>
          <Link className="link mono clip" to={`/products/${s.product}`}>
            {s.sku}
          </Link>
          <span className="clip">{s.title}</span>
          <span>{s.nth > 1 ? `${s.view} ${s.nth}` : s.view}</span>
          <span className="quiet clip">
            {[s.least > 0 && `${count(s.least)} px`, s.background].filter(Boolean).join(', ')}
          </span>
          <span className={s.cameAt ? '' : 'quiet'}>{came(s)}</span>
        </div>
      ))}
      {request.shots > shown && (
        <p className={`quiet ${css.more}`}>and {count(request.shots - shown)} more, in the sheet.</p>
      )}
    </div>
  );
}
