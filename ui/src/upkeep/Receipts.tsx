import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { Receipt } from '../client';
import { listPurgedOptions, listReceiptsOptions } from '../client/@tanstack/react-query.gen';
import { bytes, count, some, when } from '../shared/format';
import { Empty, Failed } from '../shared/State';
import css from './Upkeep.module.css';
import { reasonOf } from './words';

/** What purges did, file by file. */
export function Receipts() {
  const receipts = useQuery(listReceiptsOptions());
  const [asked] = useSearchParams();
  const [open, setOpen] = useState(Number(asked.get('open') ?? 0));
  if (receipts.error) return <Failed error={receipts.error} again={() => void receipts.refetch()} />;
  if (!receipts.data) return null;
  if (receipts.data.items.length === 0)
    return (
      <Empty title="Nothing was purged yet.">
        Each purge leaves a receipt: what went, why, who held it and who had it go.
      </Empty>
    );
  return (
    <div className="scroll pad">
      <section className="sheet" aria-label="Receipts">
        {receipts.data.items.map((r) => (
          <div key={r.id}>
            <Line receipt={r} on={open === r.id} onOpen={() => setOpen(open === r.id ? 0 : r.id)} />
            {open === r.id && <Purged receipt={r} />}
          </div>
        ))}
      </section>
    </div>
  );
}

function Line({ receipt: r, on, onOpen }: { receipt: Receipt; on: boolean; onOpen: () => void }) {
  return (
    <div className={`row pick ${css.receipt}`}>
      <button className="link clip" aria-expanded={on} onClick={onOpen}>
        <strong>{when(r.at)}</strong>, {r.actor}
        {r.byHand ? ', before the term' : ', past the term'}
      </button>
      <span className="num">{some(r.files, 'file')}</span>
      <span className="num quiet">{bytes(r.bytes)}</span>
      <span className="num">{bytes(r.freed)} freed</span>
      <span className="quiet clip">
        {!r.endedAt ? 'goes on, or was stopped' : r.kept > 0 ? `${count(r.kept)} were needed again` : ''}
      </span>
      <Button component="a" size="compact-xs" href={`/media/receipts/${r.id}`}>
        As CSV
      </Button>
    </div>
  );
}

/** How many files of a receipt are shown; all are in the CSV. */
const shown = 200;

function Purged({ receipt }: { receipt: Receipt }) {
  const files = useQuery(listPurgedOptions({ path: { id: receipt.id }, query: { limit: shown } }));
  if (files.error) return <Failed error={files.error} />;
  return (
    <div className={css.purged}>
      {files.data?.items.map((f) => (
        <div key={f.file} className={`row ${css.purgedLine}`}>
          <span className="mono clip" title={f.path}>
            {f.path}
          </span>
          <span className="quiet clip">{f.lot}</span>
          <span className="clip">{reasonOf(f.reason)}</span>
          <span className="num">{bytes(f.bytes)}</span>
          <span className="num quiet">{f.freed ? 'freed' : 'its bytes stay'}</span>
          <span className="quiet clip" title={f.because}>
            held by {f.heldBy}, {when(f.heldAt)}
          </span>
        </div>
      ))}
      {receipt.files > shown && (
        <span className={`quiet ${css.more}`}>and {count(receipt.files - shown)} more, in the CSV.</span>
      )}
    </div>
  );
}
