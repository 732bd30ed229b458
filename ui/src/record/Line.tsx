import type { ReactNode } from 'react';
import { Link } from 'react-router';
import type { NamedSubject, Recorded } from '../client';
import { baseName, count, some, when } from '../shared/format';
import css from './Record.module.css';
import { details, pageOf, phrases } from './words';

interface Props {
  line: Recorded;
  /** What the lines are the history of: it is not named in each. */
  of?: { kind: string; id: number };
  /** What can be done about it. */
  children?: ReactNode;
}

/** Kinds of things that say nothing to a person: their numbers lead nowhere. */
const unnamed = [
  'import',
  'decision',
  'holding',
  'receipt',
  'texts',
  'shelf change',
  'message',
  'upload',
  'run',
  'sweep',
];

/** One line of the record: when, who, what, with the way there. */
export function Line({ line, of, children }: Props) {
  const about = line.about.filter(
    (a) => !(of && a.kind === of.kind && a.id === of.id) && !unnamed.includes(a.kind) && namesMore(line, a),
  );
  const more = line.abouts - line.about.length;
  const beside = details(line);
  return (
    <div className={`spread history-line ${css.line}`}>
      <span className="narrow">
        <span className={css.said}>
          <strong>{line.who.name}</strong> {phrases[line.action]}
          {(about.length > 0 || more > 0) && ': '}
          {about.map((a, i) => (
            <span key={`${a.kind} ${a.id}`}>
              {i > 0 && ', '}
              <Subject of={a} />
            </span>
          ))}
          {more > 0 && (
            <span className="quiet">
              {about.length > 0 ? ` and ${count(more)} more` : some(more, 'thing')}
            </span>
          )}
        </span>
        <span className="quiet small clip block" title={beside || undefined}>
          {when(line.at)}
          {beside && `, ${beside}`}
        </span>
      </span>
      {children && <span className="push fixed">{children}</span>}
    </div>
  );
}

/** A plan of lots is named after them: the lots need not be named as well. */
const namesMore = (line: Recorded, a: NamedSubject) =>
  a.kind !== 'lot' || !line.about.some((other) => other.kind === 'plan' && other.name !== '');

function Subject({ of }: { of: NamedSubject }) {
  const page = pageOf(of.kind, of.id);
  const named = of.kind === 'plan' ? `plan ${of.id}${of.name && ` of ${of.name}`}` : of.name;
  if (!named) return <span className="quiet">one that is deleted</span>;
  const words = of.kind === 'file' ? baseName(named) : named;
  return page ? (
    <Link className="link" to={page}>
      {words}
    </Link>
  ) : (
    <span className={of.kind === 'file' || of.kind === 'variant' ? 'mono' : ''}>{words}</span>
  );
}
