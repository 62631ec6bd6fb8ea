import { useCallback, useEffect, useMemo, useState } from "react";
import { useLocation } from "react-router";

type Values = Record<string, string>;

const keyOf = (trial: string) => `look:${trial}`;

/** How a trial was last looked at in this tab, as it stands in the address; empty if it was not. */
export const lastView = (trial: string) => sessionStorage.getItem(keyOf(trial)) ?? "";
const LONGEST = 1000; // characters: what is longer was not made here

/** Some values put into an address. */
export function withValues(search: string, values: Values): string {
  const params = new URLSearchParams(search);
  for (const [key, value] of Object.entries(values)) params.set(key, value);
  return params.toString();
}

/** What is looked at when the page opens: the address says it, or some of it; the rest is as it was left. */
export function opening(given: string, left: string): string {
  const asked = new URLSearchParams(given);
  const whole = asked.has("panes") || asked.has("x");
  const found = whole ? asked.toString() : withValues(left, Object.fromEntries(asked));
  return found.length > LONGEST ? "" : found;
}

/** Remember how a trial is looked at, whatever page is shown now. */
export const remember = (trial: string, values: Values) =>
  sessionStorage.setItem(keyOf(trial), withValues(lastView(trial), values));

/** Put it into the address, and remember it; the router need not know. */
function write(trial: string, search: string) {
  window.history.replaceState(window.history.state, "", `${window.location.pathname}?${search}`);
  sessionStorage.setItem(keyOf(trial), search);
}

/**
 * The values that the address holds, and how to change some, whatever else changed since the last rendering. A flip
 * renders the page that shows it and nothing else.
 */
export function useAddress(trial: string): [URLSearchParams, (values: Values) => void] {
  const { key } = useLocation();
  const now = () => ({ key, search: opening(window.location.search, lastView(trial)) });
  const [{ key: opened, search }, put] = useState(now);
  if (opened !== key) put(now());
  useEffect(() => write(trial, search), [trial, key, search]);
  const change = useCallback(
    (values: Values) => {
      const next = withValues(window.location.search, values);
      write(trial, next);
      put((before) => ({ ...before, search: next }));
    },
    [trial],
  );
  return [useMemo(() => new URLSearchParams(search), [search]), change];
}
