export type VerdictName = 'unread' | 'paired' | 'contested' | 'loose' | 'set aside' | 'unusable' | 'sheet';

const colour: Record<VerdictName, string> = {
  unread: 'var(--aside)',
  paired: 'var(--paired)',
  contested: 'var(--contested)',
  loose: 'var(--loose)',
  'set aside': 'var(--aside)',
  unusable: 'var(--unusable)',
  sheet: 'var(--aside)',
};

/**
 * A verdict's shape: two joined plates, one plate pulled in two, an empty plate, a plate put down, a struck
 * plate, a ruled one.
 */
export function VerdictMark({ verdict, size = 14 }: { verdict: VerdictName; size?: number }) {
  const c = colour[verdict];
  return (
    <svg width={size} height={size} viewBox="0 0 14 14" fill="none" stroke={c} strokeWidth="1.5" aria-hidden>
      {verdict === 'paired' && (
        <>
          <rect x="1" y="4" width="8" height="9" fill={c} />
          <path d="M5 1h8v9h-4" />
        </>
      )}
      {verdict === 'contested' && (
        <>
          <path d="M1 2h5v10H1z" fill={c} />
          <path d="M8 2h5v10H8z" />
          <path d="M7 0v14" strokeDasharray="2 1.5" />
        </>
      )}
      {verdict === 'loose' && <rect x="1.5" y="1.5" width="11" height="11" strokeDasharray="2.6 2" />}
      {verdict === 'set aside' && (
        <>
          <rect x="4" y="1.5" width="6" height="6" />
          <path d="M1 12h12" />
        </>
      )}
      {verdict === 'unusable' && (
        <>
          <rect x="1.5" y="1.5" width="11" height="11" />
          <path d="M1.5 12.5l11-11" />
        </>
      )}
      {verdict === 'sheet' && (
        <>
          <rect x="1.5" y="1.5" width="11" height="11" />
          <path d="M1.5 5h11M1.5 9h11M5 1.5v11" />
        </>
      )}
      {verdict === 'unread' && <circle cx="7" cy="7" r="2" fill={c} />}
    </svg>
  );
}

export function Verdict({ verdict, text }: { verdict: VerdictName; text?: string }) {
  return (
    <span className="verdict">
      <VerdictMark verdict={verdict} />
      {text ?? verdict}
    </span>
  );
}
