import type { File } from '../client';
import { some } from '../shared/format';

const shapes: Record<string, string> = {
  small: 'M3 3h4v4h-4z',
  padded: 'M1 1h10v10h-10z M4.5 4.5h3v3h-3z',
  enlarged: 'M2 10l8-8 M6 2h4v4',
  'same bytes': 'M1 4h7v7h-7z M4 1h7v7',
  'look-alike': 'M1 6a3 3 0 1 0 6 0a3 3 0 1 0-6 0 M5 6a3 3 0 1 0 6 0a3 3 0 1 0-6 0',
  animated: 'M3 2l7 4l-7 4z',
  CMYK: 'M2 2h3v3h-3z M7 2h3v3h-3z M2 7h3v3h-3z M7 7h3v3h-3z',
  transparent: 'M1 1h5v5h-5z M6 6h5v5h-5z M8 1h3v3 M1 8v3h3',
};

/** Words that fit beside a picture. */
const short: Record<string, string> = { 'same bytes': 'same', 'look-alike': 'alike', transparent: 'clear' };

/**
 * What a person should look at about a file, in words and shapes; each mark tells its measure. most: how many
 * are named, the others are counted.
 */
export function Marks({ file, most = 8 }: { file: File; most?: number }) {
  const shown = file.marks.slice(0, most);
  const rest = file.marks.slice(most);
  const measures = (marks: File['marks']) => marks.map((m) => `${m.name}: ${m.measure}`).join('\n');
  return (
    <span className="marks">
      {shown.map((m) => (
        <span key={m.name} className="picmark" title={measures([m])}>
          <svg
            width="12"
            height="12"
            viewBox="0 0 12 12"
            fill="none"
            stroke="currentColor"
            strokeWidth="1.3"
            aria-hidden
          >
            <path d={shapes[m.name]} />
          </svg>
          {short[m.name] ?? m.name}
          <span className="unseen">: {m.measure}</span>
        </span>
      ))}
      {rest.length > 0 && (
        <span className="picmark" title={measures(rest)}>
          +{rest.length}
          <span className="unseen">
            {' '}
            {some(rest.length, 'mark')} more: {measures(rest)}
          </span>
        </span>
      )}
    </span>
  );
}
