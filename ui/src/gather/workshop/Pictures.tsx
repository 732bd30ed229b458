import { Button, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Lesson, Measure, Recipe, Rewrite, Shot, Trial } from '../../client';
import { learnRewritingMutation } from '../../client/@tanstack/react-query.gen';
import { bytes, said, some } from '../../shared/format';
import { Empty } from '../../shared/State';
import { measureOptions } from './questions';
import css from './Pictures.module.css';

const most = 18;
const path = (address: string) => address.replace(/^https?:\/\/[^/]+/, '');

/** The pictures of the sample page: their addresses before and after rewriting, both measured. */
export function Pictures({
  trial,
  recipe,
  set,
}: {
  trial: Trial | undefined;
  recipe: Recipe;
  set: (change: Partial<Recipe>) => void;
}) {
  const shots = (trial?.product.shots ?? []).slice(0, most);
  const addresses = [...new Set(shots.flatMap((s) => [s.before, s.after, ...s.others.slice(0, 1)]))].slice(
    0,
    60,
  );
  const measures = useQuery(measureOptions(addresses));
  const of = (address: string) => measures.data?.items.find((m) => m.address === address);
  const [small, setSmall] = useState<string>();
  if (shots.length === 0)
    return (
      <Empty title="No picture yet.">
        The step “Pictures” has to find what shows them on the product’s page.
      </Empty>
    );
  const learning = shots.find((s) => s.before === small);
  const good = shots.filter((s) => large(best(s, of), recipe)).length;
  return (
    <div className="scroll" tabIndex={0} role="region" aria-label="Pictures of the page">
      <div className="pad spread">
        <span>
          {some(shots.length, 'picture')},{' '}
          {measures.isPending ? (
            'being measured…'
          ) : (
            <>
              <strong>{good}</strong> at least {recipe.minWidth} × {recipe.minHeight}
            </>
          )}
        </span>
      </div>
      <div className={`row th ${css.line}`}>
        <span />
        <span>On the page</span>
        <span className="num">Measured</span>
        <span />
        <span>Rewritten</span>
        <span className="num">Measured</span>
        <span />
      </div>
      {shots.map((s) => {
        const known = knownOf(s, of);
        return (
          <div key={s.before + s.after} className={`row ${css.line} ${css.tallLine}`}>
            <div className="mat">
              <img src={`/media/peek?address=${encodeURIComponent(s.before)}`} alt={s.text} loading="lazy" />
            </div>
            <span className="mono clip" title={s.before}>
              {path(s.before)}
            </span>
            <Size m={of(s.before)} recipe={recipe} />
            <span className="quiet">→</span>
            {s.after === s.before ? (
              <span className="mono clip quiet" title={known}>
                {known ? `the page knows ${path(known)}` : 'as it is'}
              </span>
            ) : (
              <span className="mono clip" title={s.after}>
                {path(s.after)}
              </span>
            )}
            <Size m={of(known ?? s.after)} recipe={recipe} quiet={s.after === s.before && !known} />
            <Button size="compact-xs" onClick={() => setSmall(s.before)}>
              Learn…
            </Button>
          </div>
        );
      })}
      {learning && (
        <Learn
          key={learning.before}
          small={learning.before}
          known={knownOf(learning, of)}
          others={shots.map((s) => s.before)}
          onUse={(rewriting) => {
            set({ rewriting: [...(recipe.rewriting ?? []), ...rewriting] });
            setSmall(undefined);
          }}
          onClose={() => setSmall(undefined)}
        />
      )}
    </div>
  );
}

const pixels = (m: Measure | undefined) => (m && !m.problem ? m.width * m.height : 0);
const bigger = (a: Measure | undefined, b: Measure | undefined) => pixels(a) > pixels(b);
const large = (m: Measure | undefined, recipe: Recipe) =>
  !!m && !m.problem && m.width >= (recipe.minWidth ?? 0) && m.height >= (recipe.minHeight ?? 0);

/** The address that the page itself gives of a larger picture, when that was measured. */
const knownOf = ({ others: [other], after }: Shot, of: (address: string) => Measure | undefined) =>
  other && bigger(of(other), of(after)) ? other : undefined;

function best(s: Shot, of: (address: string) => Measure | undefined) {
  const candidates = [s.after, ...s.others.slice(0, 1), s.before];
  return candidates.map(of).reduce((a, b) => (bigger(b, a) ? b : a), of(s.after));
}

function Size({ m, recipe, quiet = false }: { m: Measure | undefined; recipe: Recipe; quiet?: boolean }) {
  if (!m) return <span className="num quiet">…</span>;
  if (m.problem)
    return (
      <span className="num clip bad" title={m.problem}>
        {m.problem}
      </span>
    );
  return (
    <span
      className={`num ${quiet ? 'quiet' : large(m, recipe) ? 'good' : 'doubtful'}`}
      title={`${m.type}, ${bytes(m.bytes)}`}
    >
      {m.width} × {m.height}
    </span>
  );
}

/**
 * Learns how a small picture's address becomes a large one's, and proves it on the page's others. The large
 * one's is the one that the page knows, also when that is measured later, until another is written.
 */
function Learn({
  small,
  known,
  others,
  onUse,
  onClose,
}: {
  small: string;
  known: string | undefined;
  others: string[];
  onUse: (rewriting: Rewrite[]) => void;
  onClose: () => void;
}) {
  const [written, setWritten] = useState<string>();
  const big = written ?? known ?? '';
  const learn = useMutation(learnRewritingMutation());
  const rest = others.filter((address) => address !== small);
  return (
    <section className="sheet spaced" aria-label="Learn a rewriting">
      <h2>Learn from one pair</h2>
      <form
        className="columns pad eased"
        onSubmit={(e) => {
          e.preventDefault();
          learn.mutate({ body: { small, large: big, others: rest } });
        }}
      >
        <TextInput
          label="The small picture’s address"
          value={small}
          readOnly
          classNames={{ input: 'mono' }}
        />
        <TextInput
          label="The large one’s"
          value={big}
          onChange={(e) => setWritten(e.currentTarget.value)}
          placeholder="open the picture on the supplier’s site and bring its address here"
          classNames={{ input: 'mono' }}
          data-autofocus
        />
        <div className="spread">
          <Button type="submit" variant="filled" loading={learn.isPending} disabled={!big}>
            Learn and prove
          </Button>
          <Button onClick={onClose}>Leave it</Button>
        </div>
      </form>
      {learn.error && (
        <div className="note bad" role="alert">
          {said(learn.error)}
        </div>
      )}
      {learn.data?.items.map((l, i) => (
        <Proved key={i} lesson={l} of={rest.length} first={i === 0} onUse={() => onUse(l.rewriting)} />
      ))}
    </section>
  );
}

function Proved({
  lesson,
  of,
  first,
  onUse,
}: {
  lesson: Lesson;
  of: number;
  first: boolean;
  onUse: () => void;
}) {
  return (
    <div className={css.picture}>
      <div className="spread">
        <div className="mono narrow">
          {lesson.rewriting.map((r, i) => (
            <div key={i} className="clip">
              {r.find} <span className="quiet">→</span> {r.with || '(nothing)'}
              {r.pattern && <span className="quiet"> pattern</span>}
            </div>
          ))}
        </div>
        <span className={`push unbroken ${lesson.larger ? 'good' : 'doubtful'}`}>
          {of === 0 ? 'no other to prove it on' : `larger on ${lesson.larger} of ${some(of, 'other')}`}
        </span>
        <Button variant={first ? 'filled' : 'default'} onClick={onUse}>
          Use this
        </Button>
      </div>
      {lesson.proofs.map((p) => (
        <div key={p.before.address} className="quiet mono clip small">
          {path(p.after.address)}: {p.before.width} × {p.before.height} →{' '}
          {p.after.problem || `${p.after.width} × ${p.after.height}`}
        </div>
      ))}
    </div>
  );
}
