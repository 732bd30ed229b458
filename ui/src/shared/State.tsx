import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { said } from './format';

/** What a view shows when it has nothing to show: what that means, and what to do next. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="empty">
      <strong>{title}</strong>
      {children}
    </div>
  );
}

/** Stands while a view's script is on its way; it shows only when that takes long enough to be noticed. */
export function Opening() {
  return (
    <div className="empty opening quiet" role="status">
      Opening …
    </div>
  );
}

/** What an address shows that leads to no page. */
export function NoPage() {
  return (
    <Empty title="There is no page at this address.">
      <Link className="link" to="/">
        Go to Today
      </Link>
    </Empty>
  );
}

/** What takes a while is on its way: never a zero in the meantime. */
export function Loading({ what }: { what: string }) {
  return (
    <div className="empty" role="status">
      <strong>{what}</strong>
    </div>
  );
}

export function Failed({ error, again }: { error: unknown; again?: () => void }) {
  return (
    <div className="empty" role="alert">
      <strong>This could not be loaded.</strong>
      <span>{said(error)}</span>
      {again && (
        <button className="link underlined" onClick={again}>
          Try again
        </button>
      )}
    </div>
  );
}

export function Bar({ done, total, label }: { done: number; total: number; label: string }) {
  const part = total > 0 ? Math.min(100, (100 * done) / total) : 0;
  return (
    <div
      className={`bar ${total > 0 ? '' : 'unknown'}`}
      role="progressbar"
      aria-label={label}
      aria-valuenow={total > 0 ? Math.round(part) : undefined}
      aria-valuemin={0}
      aria-valuemax={100}
    >
      <div style={total > 0 ? { width: `${part}%` } : undefined} />
    </div>
  );
}
