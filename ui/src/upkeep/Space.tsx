import { SegmentedControl } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState, type CSSProperties } from 'react';
import { getSpaceOptions } from '../client/@tanstack/react-query.gen';
import type { Space as Part } from '../client';
import { bytes, count, when } from '../shared/format';
import { Empty, Failed, Loading } from '../shared/State';
import css from './Space.module.css';

const parts = [
  { value: 'origin', label: 'By origin' },
  { value: 'lot', label: 'By lot' },
  { value: 'month', label: 'By month' },
  { value: 'kind', label: 'By kind' },
] as const;

type By = (typeof parts)[number]['value'];

const sizes = [
  { of: 'needed', name: 'needed' },
  { of: 'held', name: 'held' },
  { of: 'left', name: 'needed by nothing' },
] as const;

/** What the library takes, and how much of it is needed, held, or needed by nothing. */
export function Space() {
  const [by, setBy] = useState<By>('origin');
  const space = useQuery({
    ...getSpaceOptions({ query: { by } }),
    refetchInterval: (query) => (query.state.data?.counting ? 2000 : false),
  });
  if (space.error) return <Failed error={space.error} again={() => void space.refetch()} />;
  const all = space.data?.items ?? [];
  if (!space.data?.at) return <Loading what="Counting the space of all files. This can take a minute." />;
  if (all.length === 0)
    return <Empty title="The library is empty.">What comes in on Gather takes its space here.</Empty>;
  const sum = (of: keyof Omit<Part, 'name'>) => all.reduce((n, p) => n + p[of], 0);
  const whole: Part = {
    name: 'All',
    files: sum('files'),
    needed: sum('needed'),
    held: sum('held'),
    left: sum('left'),
  };
  return (
    <div className="scroll pad">
      <div className={`spread ${css.head}`}>
        <ul className={css.legend}>
          {sizes.map(({ of, name }) => (
            <li key={of} data-part={of}>
              <strong>{bytes(whole[of])}</strong> {name}
            </li>
          ))}
        </ul>
        <SegmentedControl
          className="push"
          aria-label="Reckoned"
          value={by}
          onChange={(v) => setBy(v as By)}
          data={parts.map(({ value, label }) => ({ value, label }))}
        />
      </div>
      <section className="sheet" aria-label="Space">
        <div className={`row th ${css.line}`}>
          <span>Part</span>
          <span />
          <span className="num">Files</span>
          {sizes.map(({ of, name }) => (
            <span key={of} className="num">
              {name}
            </span>
          ))}
        </div>
        {[whole, ...all].map((p, i) => (
          <div key={p.name + String(i)} className={`row ${css.line}`}>
            <span className="clip" title={p.name}>
              {i === 0 ? <strong>{p.name}</strong> : p.name}
            </span>
            <Bar part={p} of={total(whole)} />
            <span className="num">{count(p.files)}</span>
            {sizes.map(({ of }) => (
              <span key={of} className={p[of] ? 'num' : 'num quiet'}>
                {p[of] ? bytes(p[of]) : '–'}
              </span>
            ))}
          </div>
        ))}
      </section>
      <p className="quiet">
        Counted {when(space.data.at)}
        {space.data.counting && ', and being counted again now'}. Bytes that several files have count once,
        with the file that brought them first; they are needed when one of these files is.
        {space.data.made + space.data.packages > 0 && (
          <>
            {' '}
            Beside them lie {bytes(space.data.made)} of renditions for outlets, which go when nobody used them
            for 90 days and are made anew when they are needed, and {bytes(space.data.packages)} of packages,
            which are kept for 30 days.
          </>
        )}
      </p>
    </div>
  );
}

const total = (p: Part) => p.needed + p.held + p.left;

/** A bar of its three parts, as long as the part is of all. */
function Bar({ part, of }: { part: Part; of: number }) {
  const share = (n: number) => ({ '--share': `${(100 * n) / Math.max(1, of)}%` }) as CSSProperties;
  const said = sizes.map((s) => `${bytes(part[s.of])} ${s.name}`).join(', ');
  return (
    <span className={css.bar} role="img" aria-label={said} title={said}>
      {sizes.map((s) => (
        <span key={s.of} data-part={s.of} style={share(part[s.of])} />
      ))}
    </span>
  );
}
