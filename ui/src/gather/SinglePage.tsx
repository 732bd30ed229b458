import { Button, NativeSelect, NumberInput, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import type { Picture, Rendition } from '../client';
import { takePicturesMutation } from '../client/@tanstack/react-query.gen';
import { bytes, said, some } from '../shared/format';
import { useKeys } from '../shared/keys';
import { Empty } from '../shared/State';
import { tell } from '../shared/tell';
import { picturesOptions } from './workshop/questions';
import css from './SinglePage.module.css';

const shapes = [
  { value: '', label: 'any shape' },
  { value: 'square', label: 'square' },
  { value: 'tall', label: 'upright' },
  { value: 'wide', label: 'lying' },
];

function shapeOf(r: Rendition): string {
  const ratio = r.height ? r.width / r.height : 1;
  if (ratio > 1.05) return 'wide';
  return ratio < 0.95 ? 'tall' : 'square';
}

/** Every picture that one page knows, in its largest rendition, to choose from. */
export function SinglePage() {
  const [search, setSearch] = useSearchParams();
  const address = search.get('address') ?? '';
  const [typed, setTyped] = useState(address);
  const page = useQuery(picturesOptions(address));
  return (
    <>
      <form
        className="head"
        onSubmit={(e) => {
          e.preventDefault();
          setSearch({ address: typed.trim() });
        }}
      >
        <h1 className="titled unbroken">One page</h1>
        <TextInput
          aria-label="Address of the page"
          value={typed}
          onChange={(e) => setTyped(e.currentTarget.value)}
          placeholder="https://supplier.example/product"
          className="grow"
          classNames={{ input: 'mono' }}
          autoFocus
        />
        <Button
          type="submit"
          variant={page.data ? 'default' : 'filled'}
          loading={page.isFetching}
          disabled={!typed.trim().startsWith('http')}
        >
          Look
        </Button>
      </form>
      {page.error && (
        <div className="note bad spaced" role="alert">
          {said(page.error)}
        </div>
      )}
      {!address && (
        <Empty title="No page yet.">
          Enter an address. Every picture that the page knows is listed, with its largest rendition measured;
          nothing is fetched before you choose.
        </Empty>
      )}
      {page.isFetching && !page.data && (
        <p className="quiet pad">Reading the page and measuring its pictures…</p>
      )}
      {page.data && page.data.pictures.length === 0 && (
        <Empty title="No picture on this page.">
          Its pictures may be brought in by scripts only. A drive or an archive from the supplier is the surer
          way.
        </Empty>
      )}
      {page.data && page.data.pictures.length > 0 && (
        <Choice
          key={page.data.address}
          address={page.data.address}
          title={page.data.title}
          pictures={page.data.pictures}
        />
      )}
    </>
  );
}

function Choice({ address, title, pictures }: { address: string; title: string; pictures: Picture[] }) {
  const [least, setLeast] = useState({ width: 500, height: 500 });
  const [shape, setShape] = useState('');
  const [type, setType] = useState('');
  const [template, setTemplate] = useState('{page}-{n}');
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [at, setAt] = useState(0);
  const navigate = useNavigate();
  const box = useRef<HTMLDivElement>(null);
  const take = useMutation({
    ...takePicturesMutation(),
    onSuccess: ({ id }) => navigate(`/lots/${id}`),
    onError: (e) => tell('Nothing is fetched', said(e), true),
  });
  const types = [...new Set(pictures.map((p) => p.renditions[0]?.type ?? ''))];
  const shown = useMemo(
    () =>
      pictures.flatMap((p) => {
        const r = p.renditions[0];
        return r &&
          r.width >= least.width &&
          r.height >= least.height &&
          (!shape || shapeOf(r) === shape) &&
          (!type || r.type === type)
          ? [{ p, r }]
          : [];
      }),
    [pictures, least, shape, type],
  );
  const chosen = shown.filter(({ r }) => !left.has(r.address));
  const flip = (address: string) =>
    setLeft((before) => {
      const after = new Set(before);
      if (!after.delete(address)) after.add(address);
      return after;
    });
  const keys = useMemo(() => {
    const go = (step: number) => setAt((n) => Math.min(Math.max(n + step, 0), shown.length - 1));
    const across = () => Math.max(1, Math.floor(((box.current?.clientWidth ?? 900) - 20) / 190));
    return {
      ArrowRight: () => go(1),
      ArrowLeft: () => go(-1),
      ArrowDown: () => go(across()),
      ArrowUp: () => go(-across()),
      ' ': () => {
        const here = shown[at];
        if (here) flip(here.r.address);
      },
      a: () => setLeft(new Set()),
      n: () => setLeft(new Set(shown.map(({ r }) => r.address))),
    };
  }, [shown, at]);
  useKeys(keys);
  useEffect(() => {
    box.current?.querySelector('.placed.on')?.scrollIntoView({ block: 'nearest' });
  }, [at]);
  const name = (r: Rendition, n: number) =>
    template.replace(/\{(page|file|n)\}/g, (_, field: string) =>
      field === 'n'
        ? String(n)
        : field === 'page'
          ? title
          : r.address.replace(/.*\//, '').replace(/[.?].*/, ''),
    ) || `picture-${n}`;
  const go = () =>
    take.mutate({
      body: {
        address,
        title,
        pictures: chosen.map(({ r }, i) => ({ address: r.address, name: name(r, i + 1) })),
      },
    });
  return (
    <>
      <div className={`spread wrap ${css.terms}`}>
        <NumberInput
          label="Least width"
          w={90}
          min={0}
          value={least.width}
          onChange={(n) => setLeast({ ...least, width: Number(n) })}
        />
        <NumberInput
          label="Least height"
          w={90}
          min={0}
          value={least.height}
          onChange={(n) => setLeast({ ...least, height: Number(n) })}
        />
        <NativeSelect
          label="Shape"
          w={110}
          value={shape}
          onChange={(e) => setShape(e.currentTarget.value)}
          data={shapes}
        />
        <NativeSelect
          label="Type"
          w={120}
          value={type}
          onChange={(e) => setType(e.currentTarget.value)}
          data={[{ value: '', label: 'any type' }, ...types]}
        />
        <TextInput
          label="Names: {page} {file} {n}"
          w={190}
          value={template}
          onChange={(e) => setTemplate(e.currentTarget.value)}
          classNames={{ input: 'mono' }}
        />
        <span className={`quiet ${css.hint}`}>
          {some(shown.length, 'picture')} of {pictures.length}
        </span>
        <Button
          className="push"
          variant="filled"
          disabled={chosen.length === 0}
          loading={take.isPending}
          onClick={go}
        >
          Fetch {some(chosen.length, 'picture')}
        </Button>
      </div>
      <div
        className="scroll pad"
        ref={box}
        tabIndex={0}
        role="listbox"
        aria-multiselectable
        aria-label="Pictures of the page"
      >
        {shown.length === 0 && (
          <Empty title="No picture is that large.">
            The page’s largest has {Math.max(...pictures.map((p) => p.renditions[0]?.width ?? 0))} pixels
            across.
          </Empty>
        )}
        <div className={`contact ${css.pictures}`}>
          {shown.map(({ p, r }, i) => (
            // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the list has its keys
            <div
              key={r.address}
              role="option"
              tabIndex={-1}
              aria-selected={!left.has(r.address)}
              className={['card placed', css.card, i === at && 'on', left.has(r.address) && css.left]
                .filter(Boolean)
                .join(' ')}
              title={r.address}
              onClick={() => {
                setAt(i);
                flip(r.address);
              }}
            >
              <div className={`mat ${css.picture}`}>
                <img
                  src={`/media/peek?address=${encodeURIComponent(r.address)}`}
                  alt={p.text}
                  loading="lazy"
                />
              </div>
              <span className="spread tight">
                <strong>
                  {r.width} × {r.height}
                </strong>
                <span className="quiet push">{bytes(r.bytes)}</span>
              </span>
              <span className="quiet clip small">
                {left.has(r.address) ? 'left out' : name(r, chosen.findIndex((c) => c.r === r) + 1)}
              </span>
              <span className="quiet clip small">
                {p.renditions.length > 1 ? `largest of ${some(p.renditions.length, 'rendition')}` : r.where}
              </span>
            </div>
          ))}
        </div>
      </div>
      <div className="keys">
        <span>← ↑ ↓ → move</span>
        <span>Space choose or leave out</span>
        <span>A all</span>
        <span>N none</span>
      </div>
    </>
  );
}
