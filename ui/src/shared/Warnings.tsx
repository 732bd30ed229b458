import type { PlannedTarget, Warning } from '../client';

/** What a person should know before applying, each with the SKU it is about. */
export function Warnings({ list, targets }: { list: Warning[]; targets: PlannedTarget[] }) {
  return list.map((w, i) => {
    const sku = targets.find((t) => t.variant === (w.variant ?? 0))?.sku;
    return <div key={i} className="note warn" style={{ fontSize: 12.5 }}>{sku && <span className="mono">{sku} </span>}<strong>{w.kind}</strong>: {w.text}</div>;
  });
}
