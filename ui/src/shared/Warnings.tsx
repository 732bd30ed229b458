import type { ReactNode } from 'react';
import type { PlannedTarget, Warning } from '../client';

/** What a person should know before applying, each with the SKU it is about and what can be done about it at once. */
export function Warnings({ list, targets, remedy }: { list: Warning[]; targets: PlannedTarget[]; remedy?: (w: Warning) => ReactNode }) {
  return list.map((w, i) => {
    const sku = targets.find((t) => t.variant === (w.variant ?? 0))?.sku;
    return <div key={i} className="note warn spread" style={{ fontSize: 12.5 }}><span>{sku && <span className="mono">{sku} </span>}<strong>{w.kind}</strong>: {w.text}</span>{remedy && <span className="push" style={{ flex: 'none' }}>{remedy(w)}</span>}</div>;
  });
}
