import { useLayoutEffect } from 'react';

export type Keys = Record<string, (event: KeyboardEvent) => void>;

/** Whether a key press belongs to a field or an open dialog. */
function elsewhere(event: KeyboardEvent): boolean {
  const target = event.target;
  if (!(target instanceof HTMLElement)) return false;
  return (
    target.isContentEditable ||
    ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName) ||
    target.closest('[role="dialog"]') !== null
  );
}

/**
 * Keys of a view, by the name of the key as browsers report it. They change in the moment in which what is
 * shown does: a moment later, a key could act on what was shown before.
 */
export function useKeys(keys: Keys, on = true) {
  useLayoutEffect(() => {
    if (!on) return;
    const press = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented || elsewhere(event))
        return;
      const act = keys[event.key];
      if (!act) return;
      // A focused button keeps its own Enter and space.
      if (
        (event.key === 'Enter' || event.key === ' ') &&
        event.target instanceof HTMLElement &&
        event.target.closest('button, a, [role="button"]')
      )
        return;
      event.preventDefault();
      act(event);
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [keys, on]);
}
