import { Button, Modal, SegmentedControl, Textarea } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { ListLookupCodesData, LookupCandidate, LookupCode, LookupState, Origin } from '../client';
import {
  askLookupMutation,
  declineCandidatesMutation,
  getLookupOptions,
  listLookupCodesOptions,
  takeCandidatesMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, count, said, some } from '../shared/format';
import { useKeys } from '../shared/keys';
import { usePages } from '../shared/paging';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { atOf, tallOf } from '../shared/virtual';
import css from './Lookup.module.css';

type State = NonNullable<NonNullable<ListLookupCodesData['query']>['state']>;

const names: [State, keyof LookupState, string][] = [
  ['choose', 'choose', 'to choose'],
  ['open', 'open', 'to ask'],
  ['nothing', 'nothing', 'nothing found'],
  ['wrong', 'wrong', 'wrong'],
  ['failed', 'failed', 'failed'],
  ['done', 'done', 'done'],
];

/** What a barcode service answered: a line a barcode, its pictures side by side, to choose from. */
export function Lookup({ origin }: { origin: Origin }) {
  const state = useQuery(getLookupOptions({ path: { id: origin.id } }));
  const [shown, setShown] = useState<State>('choose');
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const navigate = useNavigate();
  const take = useMutation({
    ...takeCandidatesMutation(),
    onSuccess: ({ id }) => navigate(`/lots/${id}`),
    onError: (e) => tell('Nothing is fetched', said(e), true),
  });
  const flip = (id: number) =>
    setChosen((before) => {
      const after = new Set(before);
      if (!after.delete(id)) after.add(id);
      return after;
    });
  if (state.error) return <Failed error={state.error} again={() => void state.refetch()} />;
  if (!state.data) return null;
  const s = state.data;
  return (
    <div className="column">
      <div className={`spread wrap ${css.bar}`}>
        <SegmentedControl
          aria-label="Barcodes"
          value={shown}
          onChange={(v) => setShown(v as State)}
          data={names.map(([value, key, label]) => ({ value, label: `${label} ${count(Number(s[key]))}` }))}
        />
        <span className="quiet">
          {count(s.today)} {s.quota ? `of ${s.quota} requests today` : 'requests today'}
        </span>
        <Button
          className="push"
          variant={chosen.size ? 'filled' : 'default'}
          disabled={chosen.size === 0}
          loading={take.isPending}
          onClick={() => take.mutate({ path: { id: origin.id }, body: { candidates: [...chosen] } })}
        >
          Fetch {some(chosen.size, 'picture')}
        </Button>
      </div>
      <Codes key={shown} origin={origin.id} state={shown} counts={s} chosen={chosen} flip={flip} />
      {shown === 'choose' && (
        <div className="keys">
          <span>↑ ↓ barcode</span>
          <span>1 to 9 choose a picture, or leave it</span>
          <span>D decline all of a barcode</span>
        </div>
      )}
    </div>
  );
}

function Codes({
  origin,
  state,
  counts,
  chosen,
  flip,
}: {
  origin: number;
  state: State;
  counts: LookupState;
  chosen: ReadonlySet<number>;
  flip: (id: number) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [total, setTotal] = useState(0);
  const [at, setAt] = useState(0);
  const tall = state === 'choose' || state === 'done';
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => box.current,
    estimateSize: () => (tall ? 190 : 40),
    overscan: 4,
  });
  const seen = rows.getVirtualItems();
  const codes = usePages<LookupCode>(seen[0]?.index ?? 0, (seen.at(-1)?.index ?? 0) + 1, (window) =>
    listLookupCodesOptions({ path: { id: origin }, query: { ...window, state } }),
  );
  if (codes.total !== total && !codes.loading) setTotal(codes.total);
  const decline = useMutation({
    ...declineCandidatesMutation(),
    onError: (e) => tell('Nothing changed', said(e), true),
  });
  const drop = (code: LookupCode) => {
    decline.mutate({ path: { id: origin, code: code.id }, body: { decline: state === 'choose' } });
    for (const c of code.candidates) if (chosen.has(c.id)) flip(c.id);
  };
  const here = codes.at(at);
  const keys = useMemo(() => {
    const go = (step: number) =>
      setAt((n) => {
        const next = Math.min(Math.max(n + step, 0), Math.max(0, total - 1));
        rows.scrollToIndex(next);
        return next;
      });
    const digits = Object.fromEntries(
      Array.from({ length: 9 }, (_, i) => [
        String(i + 1),
        () => {
          const c = usable(here)[i];
          if (c) flip(c.id);
        },
      ]),
    );
    return {
      ...digits,
      ArrowDown: () => go(1),
      ArrowUp: () => go(-1),
      d: () => {
        if (here) drop(here);
      },
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [here, total, chosen]);
  useKeys(keys, state === 'choose');
  if (codes.error) return <Failed error={codes.error} />;
  return (
    <div className="scroll" ref={box} tabIndex={0} role="region" aria-label="Barcodes and their pictures">
      {!codes.loading && codes.total === 0 && (
        <Empty title={state === 'choose' ? 'No picture waits to be chosen.' : 'No barcode is here.'}>
          {state === 'choose' &&
            (counts.missing > 0
              ? `${some(counts.missing, 'barcode')} of products without a picture ` +
                `${counts.missing === 1 ? 'was' : 'were'} not asked for yet.`
              : 'Every product without a picture was asked for.')}
        </Empty>
      )}
      <div className="tall" style={tallOf(rows.getTotalSize())}>
        {seen.map((row) => {
          const code = codes.at(row.index);
          return (
            <div key={row.key} className="at" style={atOf(row)}>
              {code &&
                (tall ? (
                  <Answer
                    code={code}
                    on={row.index === at && state === 'choose'}
                    chosen={chosen}
                    flip={flip}
                    drop={() => drop(code)}
                    open={state === 'choose'}
                  />
                ) : (
                  <Line code={code} />
                ))}
            </div>
          );
        })}
      </div>
    </div>
  );
}

const usable = (code: LookupCode | undefined) =>
  (code?.candidates ?? []).filter((c) => c.problem === '' && c.state === 'open').slice(0, 9);

function Who({ code }: { code: LookupCode }) {
  return (
    <div className="narrow">
      {code.product ? (
        <Link className="link mono" to={`/products/${code.product}`}>
          {code.sku}
        </Link>
      ) : (
        <span className="quiet">no product has it</span>
      )}
      <div className="clip">{code.title}</div>
      <div className="mono quiet">{code.code}</div>
    </div>
  );
}

function Answer({
  code,
  on,
  chosen,
  flip,
  drop,
  open,
}: {
  code: LookupCode;
  on: boolean;
  chosen: ReadonlySet<number>;
  flip: (id: number) => void;
  drop: () => void;
  open: boolean;
}) {
  const shown = open ? usable(code) : code.candidates.filter((c) => c.problem === '');
  const largest = Math.max(...shown.map((c) => c.width * c.height));
  const title = shown.find((c) => c.title)?.title;
  return (
    <div className={`row${on ? ' on' : ''} ${css.code}`}>
      <div className="columns tightest">
        <Who code={code} />
        {title && <span className="quiet small">the service calls it “{title}”</span>}
        {code.pictures > 0 && (
          <span className="quiet small">has {some(code.pictures, 'picture')} already</span>
        )}
        {open ? (
          <button className="link quiet small underlined" onClick={drop}>
            Decline all
          </button>
        ) : (
          code.candidates.some((c) => c.state === 'declined') && (
            <button className="link quiet small underlined" onClick={drop}>
              Open those declined again
            </button>
          )
        )}
      </div>
      <div className={css.candidates}>
        {shown.map((c, i) => (
          <Candidate
            key={c.id}
            n={i + 1}
            candidate={c}
            largest={c.width * c.height === largest}
            on={chosen.has(c.id)}
            flip={() => flip(c.id)}
            open={open}
          />
        ))}
      </div>
    </div>
  );
}

function Candidate({
  n,
  candidate: c,
  largest,
  on,
  flip,
  open,
}: {
  n: number;
  candidate: LookupCandidate;
  largest: boolean;
  on: boolean;
  flip: () => void;
  open: boolean;
}) {
  return (
    <button
      className={`placed ${css.candidate}${on ? ' on' : ''}${open ? '' : ` ${css.closed}`}`}
      aria-pressed={on}
      disabled={!open}
      title={c.address}
      onClick={flip}
    >
      <div className={`mat ${css.candidatePicture}${c.state === 'declined' ? ` ${css.declined}` : ''}`}>
        <img
          src={`/media/peek?address=${encodeURIComponent(c.address)}`}
          alt={`candidate ${n}`}
          loading="lazy"
        />
      </div>
      <span className="spread tight lesser">
        <span className="quiet">{open ? n : c.state}</span>
        <span className={largest ? 'strong' : undefined}>
          {c.width} × {c.height}
        </span>
      </span>
      <span className="quiet clip small">
        {on ? 'chosen' : `${new URL(c.address).host}${c.bytes ? `, ${bytes(c.bytes)}` : ''}`}
      </span>
    </button>
  );
}

function Line({ code }: { code: LookupCode }) {
  return (
    <div className={`row ${css.asked}`}>
      <span className="mono clip">{code.code}</span>
      <span className="mono clip">{code.sku}</span>
      <span className="clip">{code.title}</span>
      <span className="clip quiet" title={code.message}>
        {code.message}
      </span>
    </div>
  );
}

/** Asks a service: for all products without a picture, or for barcodes that are entered. */
export function Ask({ origin }: { origin: Origin }) {
  const state = useQuery(getLookupOptions({ path: { id: origin.id } }));
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const ask = useMutation({
    ...askLookupMutation(),
    onSuccess: ({ id }) => {
      setOpen(false);
      if (!id) tell('Nothing to ask', 'Every one of these barcodes was asked for already, or is wrong.');
    },
    onError: (e) => tell('Nothing is asked', said(e), true),
  });
  const missing = state.data?.missing ?? 0;
  const waiting = state.data?.open ?? 0;
  return (
    <>
      <Button onClick={() => setOpen(true)}>Ask for barcodes…</Button>
      <Button
        variant="filled"
        disabled={origin.running || missing + waiting === 0}
        loading={ask.isPending}
        onClick={() => ask.mutate({ path: { id: origin.id }, body: { missing: true } })}
      >
        {origin.running
          ? 'Asking…'
          : missing + waiting > 0
            ? `Ask for ${count(missing + waiting)} without a picture`
            : 'Nothing left to ask'}
      </Button>
      <Modal opened={open} onClose={() => setOpen(false)} title="Ask for barcodes">
        <form
          className="columns"
          onSubmit={(e) => {
            e.preventDefault();
            ask.mutate({
              path: { id: origin.id },
              body: {
                codes: text
                  .split(/[\n,;]+/)
                  .map((code) => code.trim())
                  .filter(Boolean),
              },
            });
          }}
        >
          <Textarea
            label="Barcodes"
            description="one a line. A wrong check digit is named, and never sent."
            autosize
            minRows={4}
            maxRows={12}
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
            classNames={{ input: 'mono' }}
            data-autofocus
          />
          <div className="spread">
            <Button type="submit" variant="filled" loading={ask.isPending} disabled={!text.trim()}>
              Ask
            </Button>
            <Button onClick={() => setOpen(false)}>Leave it</Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
