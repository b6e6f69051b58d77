import { useCallback, useState } from 'react';

/**
 * A state that outlives leaving the page and a reload, for this window: what a person has typed or
 * chosen and not yet handed in. Anything unreadable counts as nothing kept.
 */
export function useSessionState<T>(name: string, initial: T): readonly [T, (value: T) => void] {
  const key = `golden-kept-${name}`;
  const [value, setValue] = useState<T>(() => {
    try {
      const kept = sessionStorage.getItem(key);
      return kept === null ? initial : (JSON.parse(kept) as T);
    } catch {
      return initial;
    }
  });
  const keep = useCallback(
    (next: T): void => {
      setValue(next);
      try {
        if (next === undefined || next === null || next === '') sessionStorage.removeItem(key);
        else sessionStorage.setItem(key, JSON.stringify(next));
      } catch {
        // Full or switched off: it lasts as long as the page, and nothing else depends on it.
      }
    },
    [key],
  );
  return [value, keep];
}
