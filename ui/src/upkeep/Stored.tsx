import { Button, Modal, TextInput } from '@mantine/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { StoreView, Stray } from '../client';
import {
  checkStoreOptions,
  dropStraysMutation,
  takeStraysInMutation,
} from '../client/@tanstack/react-query.gen';
import { Choose } from '../shared/Choose';
import { bytes, count, said, some, when } from '../shared/format';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import css from './Upkeep.module.css';

/** What lies in the store: how far it was read, what is missing, and what no row names. */
export function Stored() {
  const store = useQuery(checkStoreOptions());
  if (store.error) return <Failed error={store.error} again={() => void store.refetch()} />;
  if (!store.data) return null;
  return (
    <div className={`scroll pad ${css.stored}`}>
      <section className="sheet" aria-label="The store">
        <dl className={css.checks}>
          <div>
            <dd>{count(store.data.objects)}</dd>
            <dt>pictures and files, {bytes(store.data.bytes)}</dt>
          </div>
          <div>
            <dd>{count(store.data.read)}</dd>
            <dt>read whole in the set time</dt>
          </div>
          <div>
            <dd>{count(store.data.missing)}</dd>
            <dt>
              {store.data.missing ? <Link to="/upkeep?kind=broken&reason=missing">missing</Link> : 'missing'}
            </dt>
          </div>
          <div>
            <dd>{count(store.data.damaged)}</dd>
            <dt>
              <Broken of="damaged" any={store.data.damaged > 0} />
            </dt>
          </div>
        </dl>
      </section>
      <Strays store={store.data} />
    </div>
  );
}

/** What is wrong with some, with the way to the files that it concerns. */
const Broken = ({ of, any }: { of: 'missing' | 'damaged'; any: boolean }) =>
  any ? <Link to={`/upkeep?kind=broken&reason=${of}`}>{of}</Link> : of;

/** The objects that no row names: told, and dropped by nobody but a person. */
function Strays({ store }: { store: StoreView }) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const take = useMutation({
    ...takeStraysInMutation(),
    onError: (e) => tell('Nothing is taken in', said(e), true),
    onSuccess: ({ id }) => void navigate(`/lots/${id}`),
  });
  if (store.strayCount === 0)
    return <Empty title="Every object in the store has its row.">A sweep compares both.</Empty>;
  const turn = (key: string) =>
    setChosen((now) => {
      const then = new Set(now);
      if (!then.delete(key)) then.add(key);
      return then;
    });
  const mine = store.strays.filter((s) => chosen.has(s.key));
  return (
    <section className="sheet" aria-label="Stray objects">
      <div className={`spread ${css.strayHead}`}>
        <span>
          <strong>{some(store.strayCount, 'object')}</strong>
          {' that no row names, '}
          {bytes(store.strayBytes)}.{' '}
          <span className="quiet">
            Where the database came back from a backup, these may be pictures that came after it: they are
            kept until you take them in, or drop them.
          </span>
        </span>
        <Button className="push fixed" onClick={() => setChosen(new Set(store.strays.map((s) => s.key)))}>
          Choose all {count(store.strays.length)}
        </Button>
        {mine.some((s) => s.sum) && (
          <Button
            className="fixed"
            variant="filled"
            loading={take.isPending}
            onClick={() => take.mutate({ body: { keys: mine.map((s) => s.key) } })}
          >
            Take in as a lot
          </Button>
        )}
        {mine.length > 0 && (
          <Button className="fixed" onClick={() => setSure(true)}>
            Drop {count(mine.length)}…
          </Button>
        )}
      </div>
      {store.strays.map((s) => (
        <div key={s.key} className={`row ${css.stray}`}>
          <Choose
            name={s.key}
            look={{
              at: false,
              chosen: chosen.has(s.key),
              onPress: () => undefined,
              onChoose: () => turn(s.key),
            }}
          />
          <span className="mono clip" title={s.key}>
            {s.key}
          </span>
          <span className="num">{bytes(s.bytes)}</span>
          <span className="num quiet">{when(s.written)}</span>
        </div>
      ))}
      {sure && (
        <DropThem
          strays={mine}
          onClose={(done) => {
            setSure(false);
            if (done) setChosen(new Set());
          }}
        />
      )}
    </section>
  );
}

/** What is typed before objects are dropped. */
const word = 'drop';

function DropThem({ strays, onClose }: { strays: Stray[]; onClose: (done: boolean) => void }) {
  const [typed, setTyped] = useState('');
  const client = useQueryClient();
  const drop = useMutation({
    ...dropStraysMutation(),
    onError: (e) => tell('Nothing is dropped', said(e), true),
    onSuccess: ({ dropped }) => tell('Dropped', `${some(dropped, 'object')}; the receipt says which.`),
    onSettled: () => {
      void client.invalidateQueries();
      onClose(true);
    },
  });
  return (
    <Modal opened onClose={() => onClose(false)} title={`Drop ${some(strays.length, 'object')}?`}>
      <form
        className="columns"
        onSubmit={(e) => {
          e.preventDefault();
          if (typed.trim() === word) drop.mutate({ body: { keys: strays.map((s) => s.key) } });
        }}
      >
        <p className="flush">
          {bytes(strays.reduce((n, s) => n + s.bytes, 0))}, and they do not come back. Each is asked about
          once more: what has a row by now stays.
        </p>
        <TextInput
          data-autofocus
          label={`Type “${word}”`}
          value={typed}
          onChange={(e) => setTyped(e.currentTarget.value)}
        />
        <div className="spread">
          <Button
            type="submit"
            variant="filled"
            color="red"
            loading={drop.isPending}
            disabled={typed.trim() !== word}
          >
            Drop them
          </Button>
          <Button onClick={() => onClose(false)}>Leave them</Button>
        </div>
      </form>
    </Modal>
  );
}
