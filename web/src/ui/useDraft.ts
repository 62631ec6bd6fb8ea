import { useEffect, useState } from "react";

/** State that outlives the page: kept in this browser under a key until it is let go. */
export function useDraft<T>(key: string, initial: T) {
  const [value, setValue] = useState<T>(() => {
    try {
      const kept = localStorage.getItem(key);
      return kept === null ? initial : (JSON.parse(kept) as T);
    } catch {
      return initial;
    }
  });
  const untouched = JSON.stringify(value) === JSON.stringify(initial);
  useEffect(() => {
    if (untouched) localStorage.removeItem(key);
    else localStorage.setItem(key, JSON.stringify(value));
  }, [key, untouched, value]);
  return [value, setValue, !untouched] as const;
}
