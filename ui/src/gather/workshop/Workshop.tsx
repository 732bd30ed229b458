import { Button, Modal, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import type { Origin, OriginInput, Recipe, Trial } from '../../client';
import {
  createOriginMutation,
  fetchOriginMutation,
  getOriginOptions,
  updateOriginMutation,
} from '../../client/@tanstack/react-query.gen';
import { said } from '../../shared/format';
import { Failed } from '../../shared/State';
import { tell } from '../../shared/tell';
import { TermsFields } from '../Terms';
import { PageView } from './PageView';
import { Pictures } from './Pictures';
import { trialOptions } from './questions';
import type { Step } from './step';
import { Steps } from './Steps';
import css from './Workshop.module.css';

const empty: Recipe = {
  start: [''],
  next: { selector: '' },
  product: { selector: '' },
  name: { selector: '' },
  sku: { selector: '' },
  barcode: { selector: '' },
  attributes: [],
  pictures: { selector: '' },
  exclude: [],
  rewriting: [],
  minWidth: 500,
  minHeight: 500,
  template: '',
  pauseMs: 500,
  maxPages: 0,
  maxFiles: 0,
};

/** Where a recipe for a supplier's site is made: every step shows at once what it finds. */
export function Workshop() {
  const { id } = useParams();
  const known = useQuery({ ...getOriginOptions({ path: { id: Number(id) } }), enabled: id !== undefined });
  if (id === undefined) return <Bench />;
  if (known.error) return <Failed error={known.error} again={() => void known.refetch()} />;
  return known.data ? <Bench key={known.data.id} origin={known.data} /> : null;
}

const sides = ['listing', 'product', 'pictures'] as const;
type Side = (typeof sides)[number];

function useTrial(address: string, recipe: Recipe) {
  const [where] = useDebouncedValue(address, 500);
  const [how] = useDebouncedValue(recipe, 150);
  const asked = { address: where, recipe: how };
  return useQuery({ ...trialOptions(asked.address, asked.recipe), placeholderData: keepPreviousData });
}

function Bench({ origin }: { origin?: Origin }) {
  const [recipe, setRecipe] = useState<Recipe>(() => ({ ...empty, ...origin?.recipe }));
  const [chosen, setChosen] = useState('');
  const [search, setSearch] = useSearchParams();
  const side = sides.find((s) => s === search.get('side')) ?? 'listing';
  const setSide = (next: Side) => setSearch({ side: next }, { replace: true });
  const [pointing, setPointing] = useState<Step>();
  const [element, setElement] = useState(0);
  const start = recipe.start?.[0]?.trim() ?? '';
  const listing = useTrial(start, recipe);
  const direct = recipe.product.selector === '';
  const sample = chosen || (direct ? start : listing.data?.links[0]) || '';
  const product = useTrial(sample, recipe);
  const set = (change: Partial<Recipe>) => setRecipe((before) => ({ ...before, ...change }));
  const point = (step: Step | undefined) => {
    setPointing(step);
    setElement(0);
    if (step) setSide(step.on === 'listing' || (direct && !chosen) ? 'listing' : 'product');
  };
  const error = side === 'listing' ? listing.error : product.error;
  const report = (trial: Trial | undefined, step: Step | undefined) =>
    trial?.steps.find((r) => r.step === step?.name);
  const address = side === 'listing' ? start : sample;
  return (
    <>
      <Head recipe={recipe} {...(origin ? { origin } : {})} />
      <div className={css.workshop}>
        <Steps
          recipe={recipe}
          set={set}
          listing={listing.data}
          product={product.data}
          pointing={pointing}
          point={point}
          element={element}
          address={address}
        />
        <div className="column">
          <div className={`spread ${css.bar}`}>
            <SegmentedControl
              aria-label="Shown"
              value={side}
              onChange={(v) => setSide(v as Side)}
              data={[
                { value: 'listing', label: 'Start page' },
                { value: 'product', label: 'Product’s page' },
                { value: 'pictures', label: `Pictures ${product.data?.product.shots.length ?? ''}` },
              ]}
            />
            {side === 'listing' ? (
              <span className="mono clip quiet">{start}</span>
            ) : (
              <SampleField sample={sample} links={listing.data?.links ?? []} onChange={setChosen} />
            )}
          </div>
          {pointing && side !== 'pictures' && (
            <div className="note warn">
              Click what the step “{pointing.label}” shall find.{' '}
              <button className="link underlined" onClick={() => point(undefined)}>
                Leave it
              </button>
            </div>
          )}
          {error && (
            <div className="note bad spaced" role="alert">
              {said(error)}
            </div>
          )}
          {side === 'pictures' ? (
            <Pictures trial={product.data} recipe={recipe} set={set} />
          ) : (
            <PageView
              address={address}
              marked={
                pointing
                  ? (report(side === 'listing' ? listing.data : product.data, pointing)?.elements ?? [])
                  : []
              }
              {...(pointing ? { onPoint: setElement, links: pointing.on === 'listing' } : {})}
            />
          )}
        </div>
      </div>
    </>
  );
}

/** The page of a product that the steps are tried on: one that the listing leads to, or any other. */
function SampleField({
  sample,
  links,
  onChange,
}: {
  sample: string;
  links: string[];
  onChange: (address: string) => void;
}) {
  const at = links.indexOf(sample);
  const go = (step: number) => {
    const next = links[(at + step + links.length) % links.length];
    if (next) onChange(next);
  };
  return (
    <>
      <TextInput
        aria-label="Product’s page to try on"
        value={sample}
        onChange={(e) => onChange(e.currentTarget.value)}
        className="grow"
        classNames={{ input: 'mono' }}
        placeholder="the start page leads to it, or enter one"
      />
      {links.length > 1 && (
        <>
          <Button size="compact-xs" onClick={() => go(-1)} aria-label="The product before">
            ←
          </Button>
          <span className={`quiet num ${css.position}`}>
            {at + 1} of {links.length}
          </span>
          <Button size="compact-xs" onClick={() => go(1)} aria-label="The next product">
            →
          </Button>
        </>
      )}
    </>
  );
}

function Head({ origin, recipe }: { origin?: Origin; recipe: Recipe }) {
  const navigate = useNavigate();
  const [name, setName] = useState(origin?.name ?? '');
  const [terms, setTerms] = useState(() => ({
    everyMinutes: origin?.everyMinutes ?? 0,
    rights: origin?.rights ?? ('unknown' as const),
    licence: origin?.licence ?? '',
    credit: origin?.credit ?? '',
  }));
  const [open, setOpen] = useState(false);
  const fetch = useMutation({
    ...fetchOriginMutation(),
    onError: (e) => tell('Nothing is fetched', said(e), true),
  });
  const create = useMutation(createOriginMutation());
  const update = useMutation(updateOriginMutation());
  const body: OriginInput = {
    kind: 'recipe',
    name,
    settings: {},
    folder: '',
    selection: {},
    recipe: cleaned(recipe),
    ...terms,
    ...(origin?.expires ? { expires: origin.expires } : {}),
    ...(origin ? { version: origin.version } : {}),
  };
  const keep = async (andFetch: boolean) => {
    try {
      const kept = origin
        ? await update.mutateAsync({ path: { id: origin.id }, body })
        : await create.mutateAsync({ body });
      if (andFetch) await fetch.mutateAsync({ path: { id: kept.id } });
      void navigate(`/origins/${kept.id}`);
    } catch (e) {
      tell('The recipe is not kept', said(e), true);
    }
  };
  const working = create.isPending || update.isPending || fetch.isPending;
  return (
    <div className="head">
      <h1 className="titled unbroken">Page recipe</h1>
      <TextInput
        aria-label="Name"
        value={name}
        onChange={(e) => setName(e.currentTarget.value)}
        placeholder="the supplier’s name"
        w={260}
      />
      <Button onClick={() => setOpen(true)}>Rights and timetable…</Button>
      <div className="spread push">
        <Button disabled={!name.trim()} loading={working} onClick={() => void keep(false)}>
          Keep
        </Button>
        <Button
          variant="filled"
          disabled={!name.trim()}
          loading={working}
          onClick={() => void keep(true)}
          title={name.trim() ? '' : 'Give it a name first'}
        >
          Keep and fetch
        </Button>
      </div>
      <Modal opened={open} onClose={() => setOpen(false)} title="Rights and timetable">
        <div className="columns">
          <TermsFields value={terms} onChange={(change) => setTerms({ ...terms, ...change })} />
          <Button onClick={() => setOpen(false)}>Done</Button>
        </div>
      </Modal>
    </div>
  );
}

function cleaned(recipe: Recipe): Recipe {
  const full = (list: string[] | null | undefined) => (list ?? []).map((text) => text.trim()).filter(Boolean);
  return {
    ...recipe,
    start: full(recipe.start),
    exclude: full(recipe.exclude),
    rewriting: (recipe.rewriting ?? []).filter((r) => r.find),
    attributes: (recipe.attributes ?? []).filter((a) => a.name && a.selector),
  };
}
