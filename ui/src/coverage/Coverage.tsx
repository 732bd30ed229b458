import { Anchor, Button, SegmentedControl, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { Covered, CoveredCategory } from '../client';
import { getCoverageOptions } from '../client/@tanstack/react-query.gen';
import { count, some } from '../shared/format';
import { CategoryField } from '../shared/CategoryField';
import { Empty, Failed } from '../shared/State';
import { Ask } from './Ask';
import css from './Coverage.module.css';
import { Days } from './Days';
import { Matrix } from './Matrix';
import { ShotListEditor } from './ShotListEditor';
import { UnknownViews } from './UnknownViews';
import { listFor, percent } from './words';

/** How many products are listed at a time. */
const page = 100;

type Only = '' | 'missing' | 'below' | 'unknown';

/** How far products have the pictures that their shot lists want. */
export function Coverage() {
  const [asked, setAsked] = useSearchParams();
  const category = asked.get('category') ?? '';
  const [query, setQuery] = useState('');
  const [only, setOnly] = useState<Only>('missing');
  const [offset, setOffset] = useState(0);
  const [q] = useDebouncedValue(query, 250);
  const choose = (path: string) => {
    setOffset(0);
    setAsked(path ? { category: path } : {}, { replace: true });
  };
  const list = (to: Only) => {
    setOffset(0);
    setOnly(to);
  };
  const coverage = useQuery({
    ...getCoverageOptions({ query: { category, q, offset, limit: page, ...(only && { only }) } }),
    placeholderData: keepPreviousData,
    // After a large import, what changed is counted bit by bit.
    refetchInterval: (q) => (q.state.data?.counting ? 1000 : false),
  });
  if (coverage.error) return <Failed error={coverage.error} again={() => void coverage.refetch()} />;
  if (!coverage.data) return <div />;
  const c = coverage.data;
  // What was listed may fit fewer pages by now.
  if (offset > 0 && offset >= c.listed && !c.counting && !coverage.isPlaceholderData)
    setOffset(Math.max(0, Math.ceil(c.listed / page) - 1) * page);
  return (
    <section className={css.page} aria-label="Coverage">
      <Head
        key={category}
        coverage={c}
        category={category}
        onCategory={choose}
        query={query}
        onQuery={(text) => {
          setOffset(0);
          setQuery(text);
        }}
        onViews={() => list('unknown')}
      />
      {c.lists.length === 0 ? (
        <Empty title="No shot list says yet what pictures products should have.">
          Set one for the whole catalog, or choose a category first. Those below it inherit it.
        </Empty>
      ) : (
        <>
          <Sums coverage={c} only={only} onOnly={list} />
          <div className={css.body}>
            <Bars coverage={c} category={category} onPick={choose} />
            {only === 'unknown' ? (
              <UnknownViews coverage={c} offset={offset} page={page} onOffset={setOffset} />
            ) : (
              <Matrix coverage={c} offset={offset} page={page} onOffset={setOffset} />
            )}
          </div>
        </>
      )}
    </section>
  );
}

interface HeadProps {
  coverage: Covered;
  category: string;
  onCategory: (path: string) => void;
  query: string;
  onQuery: (text: string) => void;
  onViews: () => void;
}

/** What is chosen, and what can be done with it. */
function Head({ coverage: c, category, onCategory, query, onQuery, onViews }: HeadProps) {
  const [typed, setTyped] = useState(category);
  const [listing, setListing] = useState(false);
  const [asking, setAsking] = useState(false);
  const own = listFor(c.lists, category);
  return (
    <div className={css.head}>
      <CategoryField
        className="grow"
        aria-label="Category"
        placeholder="All categories"
        value={typed}
        onChange={(to) => {
          setTyped(to);
          if (to === '') onCategory('');
        }}
        onOptionSubmit={onCategory}
      />
      <TextInput
        className="grow"
        aria-label="Products whose code, SKU, title or GTIN has"
        placeholder="Code, SKU, title or GTIN"
        value={query}
        onChange={(e) => onQuery(e.currentTarget.value)}
      />
      <Button onClick={() => setListing(true)}>
        {own && own.path === category ? 'Shot list…' : 'Set a shot list…'}
      </Button>
      <Button variant="filled" disabled={c.missing + c.below === 0} onClick={() => setAsking(true)}>
        Ask for what is missing…
      </Button>
      {listing && <ShotListEditor path={category} list={own} onClose={() => setListing(false)} />}
      {asking && (
        <Ask
          coverage={c}
          category={category}
          query={query}
          onViews={() => {
            setAsking(false);
            onViews();
          }}
          onClose={() => setAsking(false)}
        />
      )}
    </div>
  );
}

interface SumsProps {
  coverage: Covered;
  only: Only;
  onOnly: (to: Only) => void;
}

function Sums({ coverage: c, only, onOnly }: SumsProps) {
  return (
    <div className={`spread ${css.sums}`} aria-label="What is there">
      <span>
        <strong>{percent(c.filled, c.wanted)}</strong> of {some(c.wanted, 'picture')} of{' '}
        {some(c.products, 'product')} are there
        <span className="quiet">
          ; {count(c.missing)} missing, {count(c.below)} too small
          {c.unknown > 0 && `; ${some(c.unknown, 'picture')} with an unknown view`}
          {c.counting && '; still counting …'}
        </span>
      </span>
      <Days days={c.days} />
      <SegmentedControl
        className="push"
        aria-label="Listed"
        value={only}
        onChange={(to) => onOnly(to as Only)}
        data={[
          { value: '', label: 'All products' },
          { value: 'missing', label: 'With something missing' },
          { value: 'below', label: 'Too small' },
          { value: 'unknown', label: 'Unknown views' },
        ]}
      />
    </div>
  );
}

interface BarsProps {
  coverage: Covered;
  /** Path of the chosen category. */
  category: string;
  onPick: (path: string) => void;
}

/** The categories of one level as bars, with the way up to those above. */
function Bars({ coverage: c, category, onPick }: BarsProps) {
  const names = c.within ? c.within.split(' / ') : [];
  return (
    <nav className={css.categories} aria-label="By category">
      {names.length > 0 && (
        <div className={css.above}>
          <Anchor component="button" size="xs" onClick={() => onPick('')}>
            All categories
          </Anchor>
          {names.map((name, i) => (
            <span key={i}>
              {' / '}
              <Anchor component="button" size="xs" onClick={() => onPick(names.slice(0, i + 1).join(' / '))}>
                {name}
              </Anchor>
            </span>
          ))}
        </div>
      )}
      {c.categories.map((one) =>
        one.own ? (
          <div key="own" className={css.category}>
            <Bar category={one} name={one.name ? `Directly in ${one.name}` : 'Without a category'} />
          </div>
        ) : (
          <button
            key={one.id}
            className={css.category}
            aria-pressed={one.path === category}
            onClick={() => onPick(one.path === category ? c.within : one.path)}
          >
            <Bar category={one} name={one.name} />
          </button>
        ),
      )}
      {c.others > 0 && (
        <p className="quiet pad">
          Not listed: {some(c.others, 'category', 'categories')} with fewer missing pictures. Find them by
          name above.
        </p>
      )}
    </nav>
  );
}

/** How far the products in a category and below it have what is wanted. */
function Bar({ category: c, name }: { category: CoveredCategory; name: string }) {
  return (
    <>
      <span className="clip" title={c.path}>
        {name}
      </span>
      <span className="num">{percent(c.filled, c.wanted)}</span>
      <svg className={css.bar} viewBox="0 0 100 4" preserveAspectRatio="none" aria-hidden="true">
        <rect className={css.filled} width={part(c.filled, c.wanted)} height="4" />
        <rect className={css.below} x={part(c.filled, c.wanted)} width={part(c.below, c.wanted)} height="4" />
      </svg>
      <span className="quiet small">
        {some(c.products, 'product')}, {count(c.missing)} missing
      </span>
    </>
  );
}

const part = (n: number, of: number) => (of > 0 ? (100 * n) / of : 0);
