import type { RowVerdict } from './words';

const colour: Record<RowVerdict, string> = {
  make: 'var(--paired)',
  change: 'var(--loose)',
  same: 'var(--aside)',
  refused: 'var(--unusable)',
  skipped: 'var(--aside)',
};

/** What becomes of a row: a plate that grows, one half filled, two alike, a struck one, one put down. */
export function RowMark({ verdict }: { verdict: RowVerdict }) {
  const c = colour[verdict];
  return (
    <svg width={13} height={13} viewBox="0 0 14 14" fill="none" stroke={c} strokeWidth="1.6" aria-hidden>
      {verdict === 'make' && <path d="M7 1v12M1 7h12" strokeWidth="2.4" />}
      {verdict === 'change' && (
        <>
          <rect x="1.5" y="1.5" width="11" height="11" />
          <path d="M1.5 12.5V1.5h11z" fill={c} />
        </>
      )}
      {verdict === 'same' && <path d="M2 5h10M2 9h10" />}
      {verdict === 'refused' && (
        <>
          <rect x="1.5" y="1.5" width="11" height="11" />
          <path d="M1.5 12.5l11-11" />
        </>
      )}
      {verdict === 'skipped' && (
        <>
          <rect x="4" y="1.5" width="6" height="6" />
          <path d="M1 12h12" />
        </>
      )}
    </svg>
  );
}
