import { useEffect, useState } from "react";

const REST_MS = 200;

/** A value once it has not changed for a moment; null while it changes. */
export function useResting<T>(value: T | null): T | null {
  const [resting, rest] = useState<T | null>(null);
  useEffect(() => {
    const timer = window.setTimeout(() => rest(() => value), REST_MS);
    return () => window.clearTimeout(timer);
  }, [value]);
  return resting === value ? resting : null;
}
