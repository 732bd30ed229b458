import { Button, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQueries } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Dispatch, DispatchedPicture } from '../client';
import { listDispatchedOptions } from '../client/@tanstack/react-query.gen';
import { bytes, count, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Failed } from '../shared/State';
import css from './Dispatch.module.css';

/** What became of a picture, in words. */
const becameOf = (p: DispatchedPicture) =>
  p.held
    ? `held back: ${p.held}`
    : p.removed
      ? `taken away: ${p.answer}`
      : [p.exception && `let through by ${p.exception}`, p.answer].filter(Boolean).join('; ');

type Only = '' | 'went' | 'held' | 'removed';

/** The pictures of a dispatch by product; each page begins behind the last picture of the one before. */
export function Receipt({ dispatch: d }: { dispatch: Dispatch }) {
  const [only, setOnly] = useState<Only>('');
  const [typed, setTyped] = useState('');
  const [query] = useDebouncedValue(typed.trim(), 250);
  const [pages, setPages] = useState([0]);
  const found = useQueries({
    queries: pages.map((behind) => ({
      ...listDispatchedOptions({
        path: { id: d.id },
        query: { behind, ...(only && { only }), ...(query && { query }) },
      }),
      placeholderData: keepPreviousData,
    })),
  });
  const error = found.find((page) => page.error)?.error;
  const listed = found.flatMap((page) => page.data?.items ?? []);
  const total = found[0]?.data?.total;
  const last = listed.at(-1)?.n;
  // While it goes on nobody knows yet how many there will be.
  const many = (what: string, n: number) => (d.endedAt ? `${what} ${count(n)}` : what);
  return (
    <div className={css.receipt}>
      <div className={`spread ${css.receiptHead}`}>
        <TextInput
          size="xs"
          className="grow"
          aria-label="Find in the receipt"
          placeholder="Find by SKU, product or name"
          value={typed}
          onChange={(e) => {
            setTyped(e.currentTarget.value);
            setPages([0]);
          }}
        />
        <SegmentedControl
          aria-label="Pictures listed"
          value={only}
          onChange={(v) => {
            setOnly(v as Only);
            setPages([0]);
          }}
          data={[
            { value: '', label: many('All', d.pictures + d.held + d.removed) },
            { value: 'went', label: many('Sent', d.pictures) },
            ...(d.held > 0 || !d.endedAt ? [{ value: 'held', label: many('Held back', d.held) }] : []),
            ...(d.removed > 0 || !d.endedAt ? [{ value: 'removed', label: many('Removed', d.removed) }] : []),
          ]}
        />
      </div>
      {error !== undefined && error !== null && <Failed error={error} />}
      {total === 0 && <p className={`quiet ${css.more}`}>No picture of this dispatch fits.</p>}
      {listed.map((p) => (
        <div key={p.n} className={`row ${css.receiptLine}`}>
          <Picture sum={p.sum} none="–" className="small" />
          <span className={`mono clip${p.held ? ' quiet' : ''}`} title={p.name}>
            {p.name}
          </span>
          <Link
            className="link mono clip"
            to={p.category ? `/categories/${p.category}` : `/products/${p.product}`}
            title={`${p.code} ${p.title}`}
          >
            {p.sku || p.code}
          </Link>
          <span className="num quiet">{bytes(p.sentBytes || p.bytes)}</span>
          <span className="quiet clip" title={p.form}>
            {p.form}
          </span>
          <span className={`clip ${p.held ? css.held : ''}`} title={becameOf(p)}>
            {becameOf(p)}
          </span>
        </div>
      ))}
      {total !== undefined && last !== undefined && listed.length < total && (
        <div className={`spread ${css.more}`}>
          <Button loading={found.some((page) => page.isFetching)} onClick={() => setPages([...pages, last])}>
            Show more
          </Button>
          <span className="quiet">
            {count(listed.length)} of {some(total, 'picture')}
          </span>
        </div>
      )}
    </div>
  );
}
