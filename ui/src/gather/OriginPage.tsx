import { Button, Modal } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { FolderView, Origin } from '../client';
import {
  browseOriginOptions,
  deleteOriginMutation,
  getOriginOptions,
  listLotsOptions,
  listRunsOptions,
  updateOriginMutation,
} from '../client/@tanstack/react-query.gen';
import { bytes, count, said, some, when } from '../shared/format';
import { RunLine } from '../shared/Runs';
import { Empty, Failed } from '../shared/State';
import { tell } from '../shared/tell';
import { Ask, Lookup } from './Lookup';
import { OriginForm } from './OriginForm';
import { FetchButton, useKindLabel } from './Origins';
import css from './OriginPage.module.css';

const isDrive = (o: Origin) => !['recipe', 'pages', 'lookup'].includes(o.kind);

/** One origin: what is in it, what is taken of it, and what it brought. */
export function OriginPage() {
  const id = Number(useParams()['id']);
  const [search, setSearch] = useSearchParams();
  const folder = search.get('folder') ?? '';
  const origin = useQuery(getOriginOptions({ path: { id } }));
  const drive = origin.data !== undefined && isDrive(origin.data);
  const view = useQuery({
    ...browseOriginOptions({ path: { id }, query: { folder } }),
    enabled: drive,
    retry: false,
    staleTime: 60_000,
  });
  if (origin.error) return <Failed error={origin.error} again={() => void origin.refetch()} />;
  if (!origin.data) return null;
  const open = (next: string) => setSearch(next ? { folder: next } : {});
  return (
    <>
      <Head origin={origin.data} />
      <div className={css.page}>
        {!drive &&
          (origin.data.kind === 'lookup' ? <Lookup origin={origin.data} /> : <Lots origin={origin.data} />)}
        {drive && (
          <div className="scroll pad" tabIndex={0} role="region" aria-label="Files of the drive">
            <div className={`spread ${css.trail}`}>
              <Crumbs folder={folder} open={open} />
              {view.data && folder !== origin.data.folder && <Take origin={origin.data} folder={folder} />}
            </div>
            {view.isPending && <p className="quiet">Asking {origin.data.name}…</p>}
            {view.error && <Failed error={view.error} again={() => void view.refetch()} />}
            {view.data && <Folder origin={origin.data} view={view.data} open={open} />}
          </div>
        )}
        <Side origin={origin.data} />
      </div>
    </>
  );
}

function Head({ origin: o }: { origin: Origin }) {
  const [changing, setChanging] = useState(false);
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const forget = useMutation({
    ...deleteOriginMutation(),
    onSuccess: () => navigate('/gather'),
    onError: (e) => tell('Nothing changed', said(e), true),
  });
  const label = useKindLabel(o.kind);
  return (
    <div className="head">
      <div className="narrow">
        <h1 className="clip titled">{o.name}</h1>
        <span className="quiet">
          {label},{' '}
          {!isDrive(o) ? (
            ''
          ) : o.folder ? (
            <>
              takes <span className="mono">{o.folder}</span> and all below it,{' '}
            </>
          ) : (
            'takes everything, '
          )}
          {some(o.files, 'file')} brought in {some(o.lots, 'lot')}
        </span>
      </div>
      <div className="spread push fixed">
        <Button onClick={() => setSure(true)}>Forget…</Button>
        {o.kind === 'recipe' ? (
          <Button component={Link} to={`/recipes/${o.id}`}>
            Workshop
          </Button>
        ) : (
          <Button onClick={() => setChanging(true)}>Change…</Button>
        )}
        {o.kind === 'pages' ? (
          <Button component={Link} to="/single" variant="filled">
            Look at a page
          </Button>
        ) : o.kind === 'lookup' ? (
          <Ask origin={o} />
        ) : (
          <FetchButton origin={o} filled />
        )}
      </div>
      <OriginForm open={changing} onClose={() => setChanging(false)} origin={o} />
      <Modal opened={sure} onClose={() => setSure(false)} title={`Forget ${o.name}?`}>
        <p className="flush">
          Its address and its password are deleted here. Nothing changes on the drive, and the lots it brought
          stay as they are.
        </p>
        <div className="spread">
          <Button
            variant="filled"
            loading={forget.isPending}
            onClick={() => forget.mutate({ path: { id: o.id } })}
          >
            Forget it
          </Button>
          <Button onClick={() => setSure(false)}>Leave it</Button>
        </div>
      </Modal>
    </div>
  );
}

/** What an origin that is no drive brought. */
function Lots({ origin: o }: { origin: Origin }) {
  const lots = useQuery(listLotsOptions({ query: { limit: 500 } }));
  const mine = lots.data?.items.filter((l) => l.originId === o.id) ?? [];
  return (
    <div className="scroll pad" tabIndex={0} role="region" aria-label="Lots of this origin">
      {o.recipe && (
        <p className="quiet flush">
          Begins at <span className="mono">{o.recipe.start?.join(', ')}</span>
        </p>
      )}
      {lots.data && mine.length === 0 && <Empty title="It has brought nothing yet." />}
      {mine.length > 0 && (
        <section className="sheet" aria-label="Lots">
          {mine.map((l) => (
            <Link key={l.id} className={`row ${css.item}`} to={`/lots/${l.id}`}>
              <span className="clip">{l.name}</span>
              <span className="num quiet">{when(l.createdAt)}</span>
              <span className="num">{some(l.files, 'file')}</span>
              <span className="num quiet">{count(l.paired)} paired</span>
              <span className="quiet">{l.state}</span>
            </Link>
          ))}
        </section>
      )}
    </div>
  );
}

function Crumbs({ folder, open }: { folder: string; open: (folder: string) => void }) {
  const parts = folder ? folder.split('/') : [];
  return (
    <nav className="mono" aria-label="Folder">
      <button className="link" onClick={() => open('')}>
        /
      </button>
      {parts.map((part, i) => (
        <span key={i}>
          {i > 0 && ' / '}
          <button
            className="link"
            aria-current={i === parts.length - 1 ? 'page' : undefined}
            onClick={() => open(parts.slice(0, i + 1).join('/'))}
          >
            {part}
          </button>
        </span>
      ))}
    </nav>
  );
}

/** Makes the folder that is looked at the one that is taken. */
function Take({ origin: o, folder }: { origin: Origin; folder: string }) {
  const take = useMutation({
    ...updateOriginMutation(),
    onError: (e) => tell('Nothing changed', said(e), true),
  });
  const { kind, name, settings, selection, everyMinutes, rights, licence, credit, expires, version } = o;
  const body = {
    kind,
    name,
    settings,
    selection,
    everyMinutes,
    rights,
    licence,
    credit,
    folder,
    version,
    ...(expires ? { expires } : {}),
  };
  return (
    <Button
      className="push"
      loading={take.isPending}
      onClick={() => take.mutate({ path: { id: o.id }, body })}
    >
      {folder ? 'Take only this folder' : 'Take everything'}
    </Button>
  );
}

function Folder({
  origin,
  view,
  open,
}: {
  origin: Origin;
  view: FolderView;
  open: (folder: string) => void;
}) {
  if (view.folders.length + view.files.length === 0) return <Empty title="This folder is empty." />;
  return (
    <div className="columns">
      {view.folders.length > 0 && (
        <section className="sheet" aria-label="Folders">
          {view.folders.map((f) => (
            <button key={f.path} className={`row ${css.folder}`} onClick={() => open(f.path)}>
              <span className="mono clip">{f.name}/</span>
              <span className="num quiet">{f.files < 0 ? '' : some(f.files, 'file')}</span>
            </button>
          ))}
        </section>
      )}
      {view.files.length > 0 && (
        <span className="quiet">
          {some(view.files.length, 'file')}, {count(view.pictures)} by name pictures,{' '}
          {count(view.files.filter((f) => f.taken).length)} taken by this origin
        </span>
      )}
      <div className="contact">
        {view.files.slice(0, 400).map((f) => (
          <div
            key={f.path}
            className={f.taken ? 'card' : 'card faint'}
            title={f.taken ? f.path : `${f.path}: left out by this origin`}
          >
            <Peek
              origin={origin.id}
              path={f.path}
              picture={/\.(jpe?g|png|webp|tiff?|gif|heic|avif)$/i.test(f.name)}
            />
            <span className="mono clip">{f.name}</span>
            <span className="quiet small">
              {bytes(f.bytes)}, {when(f.modified)}
            </span>
          </div>
        ))}
      </div>
      {view.files.length > 400 && (
        <span className="quiet">and {count(view.files.length - 400)} more, which are not shown here.</span>
      )}
    </div>
  );
}

function Peek({ origin, path, picture }: { origin: number; path: string; picture: boolean }) {
  const [broken, setBroken] = useState(false);
  return (
    <div className="mat">
      {picture && !broken ? (
        <img
          src={`/media/origins/${origin}/peek?path=${encodeURIComponent(path)}`}
          alt=""
          loading="lazy"
          decoding="async"
          draggable={false}
          onError={() => setBroken(true)}
        />
      ) : (
        <span className="none">{broken ? 'cannot be shown' : 'no picture by its name'}</span>
      )}
    </div>
  );
}

function Side({ origin: o }: { origin: Origin }) {
  const runs = useQuery(listRunsOptions());
  const mine = runs.data?.items.filter((r) => r.origin === o.id).slice(0, 12) ?? [];
  const facts: [string, string | undefined][] = [
    ...Object.entries(o.settings),
    ['host key', o.pinned],
    ['timetable', o.everyMinutes ? `next ${o.nextAt ? when(o.nextAt) : 'soon'}` : 'by hand'],
    ['only', o.selection.include?.join(', ')],
    ['left out', o.selection.exclude?.join(', ')],
    ['rights', [o.rights, o.licence, o.credit].filter(Boolean).join(', ')],
  ];
  return (
    <aside className={`scroll ${css.side}`} aria-label="About this origin" tabIndex={0}>
      {o.state === 'failing' && (
        <div className="note bad" role="alert">
          {o.message}
        </div>
      )}
      {o.gone > 0 && (
        <div className="note warn">
          {some(o.gone, 'file')} that it brought {o.gone === 1 ? 'is' : 'are'} not there any more. What was
          brought stays here.
        </div>
      )}
      <dl className="facts">
        {facts
          .filter(([, value]) => value)
          .map(([name, value]) => (
            <div key={name}>
              <dt>{name}</dt>
              <dd className="mono">{value}</dd>
            </div>
          ))}
      </dl>
      <h2 className={css.sideHead}>Fetches</h2>
      {mine.length === 0 && (
        <Empty title="Nothing was fetched yet.">
          <span className="quiet">
            Each fetch brings a lot: <Link to="/gather">they stand on Gather</Link>.
          </span>
        </Empty>
      )}
      {mine.map((r) => (
        <RunLine key={r.id} run={r} />
      ))}
    </aside>
  );
}
