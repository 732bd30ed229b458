import { SegmentedControl } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { rehearseDispatch, type RehearsedPicture, type RehearsedView, type Settings } from '../client';
import { baseName, bytes, count, some } from '../shared/format';
import { Picture } from '../shared/Picture';
import { Empty, Failed } from '../shared/State';
import css from './Dispatch.module.css';
import { Through, ThroughAll } from './Through';
import { problems, problemsOf } from './words';

/** How many pictures of a rehearsal are listed. */
const shown = 200;

type Only = '' | 'goes' | 'held' | 'excepted' | 'problems' | 'reveals' | 'same' | 'gone';

interface Props {
  settings: Settings;
  /** What went there before is known. */
  outlet: number | undefined;
}

/** What would go by the settings as they stand, picture by picture. */
export function Rehearsal({ settings, outlet }: Props) {
  const [only, setOnly] = useState<Only>('');
  const [asked] = useDebouncedValue(settings, 250);
  const rehearsed = useQuery({
    queryKey: ['rehearseDispatch', asked, only, outlet],
    queryFn: async () => {
      const body = { settings: asked, limit: shown, ...(only && { only }), ...(outlet && { outlet }) };
      return (await rehearseDispatch({ body, throwOnError: true })).data;
    },
    placeholderData: keepPreviousData,
  });
  if (rehearsed.error) return <Failed error={rehearsed.error} again={() => void rehearsed.refetch()} />;
  if (!rehearsed.data) return <div className="scroll" />;
  const view = rehearsed.data;
  if (view.wrong)
    return (
      <div className="pad">
        <div className="note bad" role="alert">
          {view.wrong}
        </div>
        <p className="quiet">
          Fields: {view.fields.map((f) => `[${f}]`).join(' ')} [option Colour]. What is done with them: slug,
          slug de, upper, lower, pad 2, most 40. After | comes what stands there when it is empty.
        </p>
      </div>
    );
  return (
    <>
      <Sums view={view} only={only} onOnly={setOnly}>
        {outlet && only === 'held' && view.byRights > 0 && (
          <ThroughAll outlet={outlet} settings={asked} held={view.byRights} />
        )}
      </Sums>
      <div className="scroll" tabIndex={0} role="region" aria-label="Pictures that would go">
        {view.items.length === 0 && <Empty title="No picture is chosen so." />}
        {view.items.map((p, i) => (
          <Line key={`${p.name} ${i}`} picture={p}>
            {outlet && acts(only) && <Through outlet={outlet} picture={p} />}
          </Line>
        ))}
        {view.matching > shown && (
          <p className={`quiet ${css.more}`}>and {count(view.matching - shown)} more.</p>
        )}
      </div>
    </>
  );
}

/** Lists of what a person can do something about at the gate. */
const acts = (only: Only) => only === 'held' || only === 'excepted';

/** How what goes stands to what went before. */
function beforeOf(view: RehearsedView): string {
  const parts = [];
  if (view.new > 0 && view.new < view.pictures) parts.push(`${count(view.new)} new`);
  if (view.renamed > 0) parts.push(`${count(view.renamed)} renamed`);
  return parts.length > 0 ? `; ${parts.join(', ')}` : '';
}

/** Why not all that are chosen go, so that the numbers add up. */
function leftOf(view: RehearsedView): string {
  const there = view.chosen - view.pictures - view.held;
  const names = view.held - view.byRights;
  const why = [
    view.byRights > 0 && `${count(view.byRights)} held back for their rights`,
    names > 0 && `${count(names)} held back for their names or damage`,
    there > 0 && `${count(there)} there already`,
  ].filter(Boolean);
  return why.length > 0 ? ` (of ${count(view.chosen)} chosen: ${why.join(', ')})` : '';
}

interface SumsProps {
  view: RehearsedView;
  only: Only;
  onOnly: (only: Only) => void;
  children: ReactNode;
}

function Sums({ view, only, onOnly, children }: SumsProps) {
  const wrong = Object.values(view.problems).reduce((n, one) => n + one, 0);
  return (
    <div className={`spread ${css.sums}`} aria-label="What would go">
      <span>
        <strong>{some(view.pictures, 'picture')}</strong> of {some(view.products, 'product')},{' '}
        {bytes(view.bytes)}
        <span className="quiet">{beforeOf(view)}</span>
        <span className="quiet">{leftOf(view)}</span>
      </span>
      {wrong > 0 && (
        <span className={css.warned}>
          {Object.entries(view.problems)
            .map(([what, n]) => `${count(n)} ${problems[what] ?? what}`)
            .join(', ')}
        </span>
      )}
      {view.located + view.serial > 0 && (
        <span className={css.warned}>
          {[
            view.located > 0 && `${count(view.located)} say where they were taken`,
            view.serial > 0 && `${count(view.serial)} give a serial number of the camera`,
          ]
            .filter(Boolean)
            .join(', ')}
        </span>
      )}
      {view.noText > 0 && (
        <span className="quiet">
          {count(view.noText)} without a text, <Link to="/dispatch/texts">draft them</Link>
        </span>
      )}
      {children}
      <SegmentedControl
        className="push"
        aria-label="Listed"
        value={only}
        onChange={(v) => onOnly(v as Only)}
        data={[
          { value: '', label: `All ${count(view.chosen)}` },
          { value: 'goes', label: `Go ${count(view.pictures)}` },
          { value: 'held', label: `Held back ${count(view.held)}` },
          ...(view.excepted > 0 ? [{ value: 'excepted', label: `Let through ${count(view.excepted)}` }] : []),
          ...(view.misnamed > 0
            ? [{ value: 'problems', label: `Names to look at ${count(view.misnamed)}` }]
            : []),
          ...(view.located + view.serial > 0 ? [{ value: 'reveals', label: 'Private details' }] : []),
          ...(view.gone > 0 ? [{ value: 'gone', label: `Not wanted ${count(view.gone)}` }] : []),
          ...(view.same > 0 ? [{ value: 'same', label: `There already ${count(view.same)}` }] : []),
        ]}
      />
    </div>
  );
}

const Line = ({ picture: p, children }: { picture: RehearsedPicture; children: ReactNode }) => (
  <div className={`row ${children ? css.lineActs : css.line}`}>
    <Picture sum={p.sum} none="–" className="small" />
    <span className={`mono clip${p.held ? ' quiet' : ''}`} title={p.name}>
      {p.name}
    </span>
    <Link
      className="link mono clip"
      to={p.category ? `/categories/${p.category}` : `/products/${p.product}`}
      title={p.code}
    >
      {p.sku || p.code}
    </Link>
    <span className="quiet mono clip" title={p.path}>
      {baseName(p.path)}
    </span>
    <span className="quiet clip" title={p.form}>
      {p.form}
    </span>
    <span className="clip" title={[p.held, p.because, problemsOf(p)].join(' ')}>
      {p.held && <span className={css.held}>held back: {p.held}</span>}
      {p.because && <span className={css.warned}>let through by {p.because}</span>}
      {(p.located || p.serial) && (
        <span className={css.warned}>
          goes with{' '}
          {[p.located && 'its GPS position', p.serial && 'a serial number'].filter(Boolean).join(' and ')}
        </span>
      )}
      {p.same && <span className="quiet">there just so</span>}
      {p.was && p.was !== p.name && <span className="quiet">was {p.was}</span>}
      {p.problems.length > 0 && <span className={css.warned}> {problemsOf(p)}</span>}
    </span>
    {children && <span>{children}</span>}
  </div>
);
