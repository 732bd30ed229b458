import type { ReactNode } from 'react';
import type { PlannedTarget, Warning } from '../client';
import { sameTarget } from './target';

/**
 * What a person should know before applying, each with the SKU it is about and what can be done about it at
 * once.
 */
export function Warnings({
  list,
  targets,
  remedy,
}: {
  list: Warning[];
  targets: PlannedTarget[];
  remedy?: (w: Warning) => ReactNode;
}) {
  return list.map((w, i) => {
    const sku = targets.find((t) => sameTarget(t.target, w.target))?.code;
    return (
      <div key={i} className="note warn spread lesser">
        <span>
          {sku && <span className="mono">{sku} </span>}
          <strong>{w.kind}</strong>: {w.text}
        </span>
        {remedy && <span className="push fixed">{remedy(w)}</span>}
      </div>
    );
  });
}
