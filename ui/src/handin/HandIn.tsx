import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { useParams } from 'react-router';
import type { HandIn as Asked } from '../client';
import { openHandIn } from '../client';
import { getHandInOptions } from '../client/@tanstack/react-query.gen';
import { Drop, SendingLine } from '../gather/Drop';
import { send, watchUploads, type Gate, type Picked, type Sending } from '../gather/uploads';
import { bytes, count, said, some } from '../shared/format';
import { Empty } from '../shared/State';
import css from './HandIn.module.css';

/**
 * What a supplier sees: who asks, what is missing, and where to hand it in. There is no account and no way
 * further in.
 */
export function HandIn() {
  const token = useParams()['token'] ?? '';
  const asked = useQuery({ ...getHandInOptions({ path: { token } }), refetchInterval: 30_000 });
  return (
    <>
      <header className="strip">
        <span className="mark">Ambrosa</span>
        <span className="quiet centred">hand in pictures</span>
      </header>
      <main className="page scroll pad">
        <div className={`columns ${css.page}`}>
          {asked.error && (
            <Empty title="This address does not lead anywhere.">
              It may have been replaced by another one. Ask those who gave it to you.
            </Empty>
          )}
          {asked.data && <Page asked={asked.data} token={token} again={() => void asked.refetch()} />}
        </div>
      </main>
    </>
  );
}

const closed = {
  full: 'As much has been handed in as this address takes. Thank you.',
  expired: 'This address has ended.',
  revoked: 'This address was closed.',
};
const date = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', year: 'numeric' });

function Page({ asked, token, again }: { asked: Asked; token: string; again: () => void }) {
  const [sending, setSending] = useState<Sending[]>([]);
  const [sent, setSent] = useState(0);
  const [problem, setProblem] = useState('');
  useEffect(() => watchUploads(setSending), []);
  const gate = useMemo<Gate>(
    () => ({
      endpoint: '/hand-in/uploads/',
      says: { link: token },
      mayAskForLots: false,
      open: async (_, uploads) =>
        (await openHandIn({ path: { token }, body: { uploads }, throwOnError: true })).data.id,
    }),
    [token],
  );
  const take = (picked: Picked[]) => {
    setProblem('');
    send(asked.supplier, picked, gate)
      .then(
        () => setSent((n) => n + picked.length),
        (e: unknown) => setProblem(said(e)),
      )
      .finally(again);
  };
  return (
    <>
      <h1 className={css.head}>Pictures from {asked.supplier}</h1>
      <div className="quiet">
        {asked.asker && <>Asked for by {asked.asker}. </>}Open until {date.format(new Date(asked.expires))}.
      </div>
      {asked.message && <div className={`note ${css.message}`}>{asked.message}</div>}
      {asked.state === 'open' ? (
        <Drop
          title="Drop pictures, a folder or an archive here, and a spreadsheet if you have one"
          take={take}
        />
      ) : (
        <div className="note warn" role="status">
          {closed[asked.state]}
        </div>
      )}
      {problem && (
        <div className="note bad" role="alert">
          {problem}
        </div>
      )}
      {sending.length > 0 && (
        <section className="sheet" aria-live="polite">
          {sending.map((s) => (
            <SendingLine key={s.lot} sending={s} />
          ))}
        </section>
      )}
      {sent > 0 && (
        <div className="note" role="status">
          {some(sent, 'file')} arrived. Thank you; you can close this page or hand in more.
        </div>
      )}
      <div className="quiet">
        {count(asked.files)} of {some(asked.maxFiles, 'file')} and {bytes(asked.bytes)} of{' '}
        {bytes(asked.maxBytes)} handed in so far. An archive counts as one file.
      </div>
      {asked.shots.length > 0 && <Wanted asked={asked} token={token} />}
      {asked.wanted > 0 && asked.shots.length === 0 && <Missing asked={asked} token={token} />}
    </>
  );
}

function Missing({ asked, token }: { asked: Asked; token: string }) {
  return (
    <section className="sheet">
      <h2 className="spread">
        {asked.wanted === 1 ? 'One article has' : `${count(asked.wanted)} articles have`} no picture yet
        <Button className="push" component="a" href={`/media/hand-in/${token}/missing.csv`}>
          Get this list as a spreadsheet
        </Button>
      </h2>
      <div className="quiet padded">
        File names that hold the article number or the barcode find their product by themselves. In the
        spreadsheet you can name the file of each article instead, and hand it in with the pictures.
      </div>
      <div className={`row th ${css.line}`}>
        <span>Article</span>
        <span>Name</span>
        <span>Barcode</span>
      </div>
      {asked.missing.map((m) => (
        <div key={m.sku} className={`row ${css.line}`}>
          <span className="mono clip">{m.sku}</span>
          <span className="clip">{m.title}</span>
          <span className="mono clip">{m.gtin}</span>
        </div>
      ))}
      {asked.wanted > asked.missing.length && (
        <div className="quiet padded">
          and {count(asked.wanted - asked.missing.length)} more, in the spreadsheet
        </div>
      )}
    </section>
  );
}

/** The pictures that a request waits for, each with the name that its file should have. */
function Wanted({ asked, token }: { asked: Asked; token: string }) {
  return (
    <section className="sheet">
      <h2 className="spread">
        {asked.wanted === 1 ? 'One picture is' : `${count(asked.wanted)} pictures are`} asked for
        <Button className="push" component="a" href={`/media/hand-in/${token}/missing.csv`}>
          Get this list as a spreadsheet
        </Button>
      </h2>
      <div className="quiet padded">
        A file that is called as it stands here finds its product, its view and its place by itself. Any
        ending will do.
      </div>
      <div className={`row th ${css.shot}`}>
        <span>File name</span>
        <span>Article</span>
        <span>Name</span>
        <span>View</span>
        <span>At least, background</span>
      </div>
      {asked.shots.map((s) => (
        <div key={s.n} className={`row ${css.shot}`}>
          <span className="mono clip" title={s.name}>
            {s.name}
          </span>
          <span className="mono clip">{s.sku}</span>
          <span className="clip" title={s.title}>
            {s.title}
          </span>
          <span>{s.nth > 1 ? `${s.view} ${s.nth}` : s.view}</span>
          <span className="quiet clip">
            {[s.least > 0 && `${count(s.least)} px`, s.background].filter(Boolean).join(', ')}
          </span>
        </div>
      ))}
      {asked.wanted > asked.shots.length && (
        <div className="quiet padded">
          and {count(asked.wanted - asked.shots.length)} more, in the spreadsheet
        </div>
      )}
    </section>
  );
}
