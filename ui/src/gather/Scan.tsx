import { TextInput } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import type { Found, Scanned } from '../client';
import { scan } from '../client';
import { said, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Empty } from '../shared/State';
import { tell } from '../shared/tell';
import { Drop, SendingLine } from './Drop';
import { gateOf, send, watchUploads, type Picked, type Sending } from './uploads';
import css from './Scan.module.css';

interface Seen {
  code: string;
  answer?: Scanned;
  problem?: string;
  files: number;
  at: number;
}

/**
 * A field for a hand scanner: each code brings up its product, and pictures that are dropped are taken for
 * it.
 */
export function Scan() {
  const field = useRef<HTMLInputElement>(null);
  const [text, setText] = useState('');
  const [seen, setSeen] = useState<Seen[]>([]);
  const [sending, setSending] = useState<Sending[]>([]);
  useEffect(() => watchUploads(setSending), []);
  // A scanner types wherever the focus is: it is kept in the field.
  useEffect(() => {
    const back = () => {
      if (document.activeElement === document.body) field.current?.focus();
    };
    window.addEventListener('keydown', back, true);
    return () => window.removeEventListener('keydown', back, true);
  }, []);
  const now = seen[0];
  const look = async (code: string) => {
    setText('');
    const { data, error } = await scan({ query: { code } });
    setSeen((before) =>
      [
        { code, files: 0, at: Date.now(), ...(data ? { answer: data } : { problem: said(error) }) },
        ...before.filter((s) => s.code !== code),
      ].slice(0, 50),
    );
  };
  const take = (picked: Picked[]) => {
    if (!now?.answer) return;
    const { barcode } = now.answer;
    const name = now.answer.found[0]?.code ?? barcode;
    send(`Scanned ${name}`, picked, gateOf(barcode)).then(
      () =>
        setSeen((before) =>
          before.map((s) => (s.code === now.code ? { ...s, files: s.files + picked.length } : s)),
        ),
      (e: unknown) => tell('They did not arrive', said(e), true),
    );
  };
  return (
    <div className="scroll pad">
      <div className={`columns ${css.page}`}>
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (text.trim()) void look(text.trim());
          }}
        >
          <TextInput
            ref={field}
            size="lg"
            label="Barcode"
            description="Scan a product, or type its GTIN and press Enter."
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
            classNames={{ input: 'mono' }}
            autoFocus
            autoComplete="off"
            inputMode="numeric"
          />
        </form>
        {now && <Answer seen={now} take={take} />}
        {sending.length > 0 && (
          <section className="sheet" aria-live="polite">
            {sending.map((s) => (
              <SendingLine key={s.lot} sending={s} />
            ))}
          </section>
        )}
        {!now && (
          <Empty title="Nothing is scanned yet.">
            Each code brings up its product at once; pictures that you drop then become a lot that is paired
            with it.
          </Empty>
        )}
        {seen.length > 0 && <ScannedHere list={seen} />}
      </div>
    </div>
  );
}

/** What the last scan found, and where its pictures are dropped. */
function Answer({ seen, take }: { seen: Seen; take: (picked: Picked[]) => void }) {
  if (!seen.answer)
    return (
      <div className="note bad" role="alert">
        {seen.problem}
      </div>
    );
  const { found } = seen.answer;
  return (
    <>
      {found.length === 0 && (
        <div className="note warn" role="status">
          No product has the barcode <span className="mono">{seen.code}</span>. Pictures can be dropped all
          the same; they wait on the bench.
        </div>
      )}
      {found.map((f) => (
        <Product key={f.variant} found={f} />
      ))}
      <Drop
        title={found[0] ? `Drop pictures of ${found[0].code} here` : 'Drop its pictures here'}
        take={take}
      />
    </>
  );
}

const ScannedHere = ({ list }: { list: Seen[] }) => (
  <section className="sheet">
    <h2>Scanned here</h2>
    {list.map((s) => (
      <div key={s.code} className={`row ${css.scanned}`}>
        <span className="mono">{s.code}</span>
        <span className="clip">
          {s.problem ??
            (s.answer?.found.map((f) => `${f.code} ${f.title}`).join(', ') || 'no product has it')}
        </span>
        <span className="num quiet">{s.files > 0 ? some(s.files, 'picture') : ''}</span>
      </div>
    ))}
  </section>
);

function Product({ found: f }: { found: Found }) {
  return (
    <section className={`sheet ${css.product}`} aria-label={f.code}>
      <span className={`fill ${css.lead}`}>
        <Picture sum={f.sum} none="no picture yet" />
      </span>
      <span>
        <Link className="link mono titled" to={`/products/${f.id}`}>
          {f.code}
        </Link>
        <br />
        {f.title}
      </span>
    </section>
  );
}
