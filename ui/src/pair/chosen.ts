import { useCallback, useMemo, useState } from 'react';
import type { Seen } from '../client';

/** Files that were chosen to be decided on together, in the versions that were seen. */
export function useChosen() {
  const [held, setHeld] = useState<ReadonlyMap<number, number>>(new Map());
  const toggle = useCallback(
    (file: Seen) =>
      setHeld((now) => {
        const next = new Map(now);
        if (!next.delete(file.id)) next.set(file.id, file.version);
        return next;
      }),
    [],
  );
  const add = useCallback(
    (files: Seen[]) => setHeld((now) => new Map([...now, ...files.map((f) => [f.id, f.version] as const)])),
    [],
  );
  const clear = useCallback(() => setHeld(new Map()), []);
  const files = useMemo(() => [...held].map(([id, version]) => ({ id, version })), [held]);
  return useMemo(
    () => ({ files, has: (id: number) => held.has(id), toggle, add, clear }),
    [add, clear, files, held, toggle],
  );
}

export type Chosen = ReturnType<typeof useChosen>;
