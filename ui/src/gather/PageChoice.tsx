import { Button, NativeSelect, NumberInput, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import type { Picture } from '../client';
import { takePicturesMutation } from '../client/@tanstack/react-query.gen';
import { bytes, said, some } from '../shared/format';
import { useKeys } from '../shared/keys';
import { Empty } from '../shared/State';
import { tell } from '../shared/tell';
import { meeting, nameOf, shapes, usualTerms, type Largest, type Terms } from './pageTerms';
import css from './SinglePage.module.css';

/** The pictures of a page, to choose from by keys or by pressing them. */
export function PageChoice({
  address,
  title,
  pictures,
}: {
  address: string;
  title: string;
  pictures: Picture[];
}) {
  const [terms, setTerms] = useState(usualTerms);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [at, setAt] = useState(0);
  const navigate = useNavigate();
  const box = useRef<HTMLDivElement>(null);
  const take = useMutation({
    ...takePicturesMutation(),
    onSuccess: ({ id }) => navigate(`/lots/${id}`),
    onError: (e) => tell('Nothing is fetched', said(e), true),
  });
  const shown = useMemo(() => meeting(pictures, terms), [pictures, terms]);
  const chosen = shown.filter(({ rendition }) => !left.has(rendition.address));
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
        if (here) flip(here.rendition.address);
      },
      a: () => setLeft(new Set()),
      n: () => setLeft(new Set(shown.map(({ rendition }) => rendition.address))),
    };
  }, [shown, at]);
  useKeys(keys);
  useEffect(() => {
    box.current?.querySelector('.placed.on')?.scrollIntoView({ block: 'nearest' });
  }, [at]);
  const name = (of: Largest) => nameOf(terms.template, title, of.rendition.address, chosen.indexOf(of) + 1);
  const fetchChosen = () =>
    take.mutate({
      body: {
        address,
        title,
        pictures: chosen.map((of) => ({ address: of.rendition.address, name: name(of) })),
      },
    });
  return (
    <>
      <TermsForm terms={terms} setTerms={setTerms} pictures={pictures}>
        <span className={`quiet ${css.hint}`}>
          {some(shown.length, 'picture')} of {pictures.length}
        </span>
        <Button
          className="push"
          variant="filled"
          disabled={chosen.length === 0}
          loading={take.isPending}
          onClick={fetchChosen}
        >
          Fetch {some(chosen.length, 'picture')}
        </Button>
      </TermsForm>
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
          {shown.map((of, i) => (
            <Card
              key={of.rendition.address}
              of={of}
              name={left.has(of.rendition.address) ? undefined : name(of)}
              on={i === at}
              onPress={() => {
                setAt(i);
                flip(of.rendition.address);
              }}
            />
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

function TermsForm({
  terms,
  setTerms,
  pictures,
  children,
}: {
  terms: Terms;
  setTerms: (terms: Terms) => void;
  pictures: Picture[];
  children: ReactNode;
}) {
  const types = [...new Set(pictures.map((p) => p.renditions[0]?.type ?? ''))];
  const set = (change: Partial<Terms>) => setTerms({ ...terms, ...change });
  return (
    <div className={`spread wrap ${css.terms}`}>
      <NumberInput
        label="Least width"
        w={90}
        min={0}
        value={terms.width}
        onChange={(n) => set({ width: Number(n) })}
      />
      <NumberInput
        label="Least height"
        w={90}
        min={0}
        value={terms.height}
        onChange={(n) => set({ height: Number(n) })}
      />
      <NativeSelect
        label="Shape"
        w={110}
        value={terms.shape}
        onChange={(e) => set({ shape: e.currentTarget.value })}
        data={shapes}
      />
      <NativeSelect
        label="Type"
        w={120}
        value={terms.type}
        onChange={(e) => set({ type: e.currentTarget.value })}
        data={[{ value: '', label: 'any type' }, ...types]}
      />
      <TextInput
        label="Names: {page} {file} {n}"
        w={190}
        value={terms.template}
        onChange={(e) => set({ template: e.currentTarget.value })}
        classNames={{ input: 'mono' }}
      />
      {children}
    </div>
  );
}

/** A picture of the page; without a name it is left out. */
function Card({
  of: { picture, rendition },
  name,
  on,
  onPress,
}: {
  of: Largest;
  name: string | undefined;
  on: boolean;
  onPress: () => void;
}) {
  const out = name === undefined;
  return (
    // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the list has its keys
    <div
      role="option"
      tabIndex={-1}
      aria-selected={!out}
      className={['card placed', css.card, on && 'on', out && css.left].filter(Boolean).join(' ')}
      title={rendition.address}
      onClick={onPress}
    >
      <div className={`mat ${css.picture}`}>
        <img
          src={`/media/peek?address=${encodeURIComponent(rendition.address)}`}
          alt={picture.text}
          loading="lazy"
        />
      </div>
      <span className="spread tight">
        <strong>
          {rendition.width} × {rendition.height}
        </strong>
        <span className="quiet push">{bytes(rendition.bytes)}</span>
      </span>
      <span className="quiet clip small">{name ?? 'left out'}</span>
      <span className="quiet clip small">
        {picture.renditions.length > 1
          ? `largest of ${some(picture.renditions.length, 'rendition')}`
          : rendition.where}
      </span>
    </div>
  );
}
