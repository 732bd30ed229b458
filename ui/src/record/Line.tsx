import type { ReactNode } from 'react';
import { Link } from 'react-router';
import type { NamedSubject, Recorded } from '../client';
import { baseName, count, some, when } from '../shared/format';
import css from './Record.module.css';
import { details, pageOf, phrase } from './words';

interface Props {
  line: Recorded;
  /** How many entries it stands for. */
  times?: number;
  /** What the lines are the history of: it is not named in each. */
  of?: { kind: string; id: number };
  /** What can be done about it. */
  children?: ReactNode;
}

/** Kinds of things that have no name that people know. */
const unnamed = [
  'import',
  'decision',
  'dispatch',
  'holding',
  'receipt',
  'texts',
  'shelf change',
  'message',
  'upload',
  'run',
  'sweep',
];

/** How many things are named of several that something was done to. */
const named = 4;

/** One line of the record: when, who, what, with links to it. */
export function Line({ line, times = 1, of, children }: Props) {
  const known = line.about.filter((a) => !(of && a.kind === of.kind && a.id === of.id));
  const about = known.filter((a) => !unnamed.includes(a.kind) && namesMore(line, a)).slice(0, named);
  const hidden = line.about.length - about.length;
  const told = line.about.filter((a) => unnamed.includes(a.kind) || !namesMore(line, a)).length;
  const more = line.abouts - line.about.length + hidden - told - (line.about.length - known.length);
  const beside = times > 1 ? `${count(times)} times` : details(line);
  return (
    <div className={`history-line ${css.line}`}>
      <time className={`quiet num ${css.time}`} dateTime={line.at}>
        {when(line.at)}
      </time>
      <span className="narrow">
        <span className={css.said}>
          <strong>{line.who.name}</strong> {phrase(line)}
          {(about.length > 0 || more > 0) && ': '}
          {about.map((a, i) => (
            <span key={`${a.kind} ${a.id}`}>
              {i > 0 && ', '}
              <Subject of={a} />
            </span>
          ))}
          {more > 0 && (
            <span className="quiet">
              {about.length > 0 ? ` and ${count(more)} more` : some(more, 'item')}
            </span>
          )}
        </span>
        {beside && (
          <span className="quiet small clip block" title={beside}>
            {beside}
          </span>
        )}
      </span>
      <span>{children}</span>
    </div>
  );
}

/** A plan of lots is named after them: the lots need not be named as well. */
const namesMore = (line: Recorded, a: NamedSubject) =>
  a.kind !== 'lot' || !line.about.some((other) => other.kind === 'plan' && other.name !== '');

function Subject({ of }: { of: NamedSubject }) {
  const page = pageOf(of.kind, of.id);
  const called = of.kind === 'plan' ? `plan ${of.id}${of.name && ` (${of.name})`}` : of.name;
  if (!called) return <span className="quiet">deleted {of.kind}</span>;
  const words = of.kind === 'file' ? baseName(called) : called;
  return page ? (
    <Link className="link underlined" to={page}>
      {words}
    </Link>
  ) : (
    <span className={of.kind === 'file' || of.kind === 'variant' ? 'mono' : ''}>{words}</span>
  );
}
