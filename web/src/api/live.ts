import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import { oldestAnswer, Unreachable, type Queue, type Trial } from "./client";

/** Since when the server has not been heard of; null while it is there. */
export const useConnection = create<{ lostSince: Date | null }>(() => ({ lostSince: null }));

const lose = () => useConnection.setState(({ lostSince }) => ({ lostSince: lostSince ?? new Date() }));
const find = () => useConnection.setState({ lostSince: null });

/** What went wrong with a query; not that the line is gone while its data is still there, which the dock says. */
export const problem = (query: { data?: unknown; error: Error | null }): Error | null =>
  query.data !== undefined && query.error instanceof Unreachable ? null : query.error;

const TOUCHED: Record<string, string[]> = {
  takes: ["queue", "trials"],
  sources: ["sources"],
  models: ["models", "methods"],
  fingerprints: ["fingerprints"],
  errands: ["errands"],
  price_book: ["prices", "trials"],
  speeds: ["plan"],
  trials: ["trials", "sources", "playbook"],
  verdicts: ["trials", "sources", "playbook"],
  spots: ["spots"],
  remarks: ["remarks"],
  entries: ["trials"],
};
// A page at rest asks for no more than that while others work on the machine that is being timed.
const LEAST_PAUSE_MS = 2000;
const GATHER_MS = 150;
const SILENT_MS = 40_000; // the server says something every 15 s

function refresh(queries: QueryClient, tables: Set<string>) {
  if (tables.has("*")) return queries.invalidateQueries();
  const roots = new Set([...tables].flatMap((table) => TOUCHED[table] ?? []));
  for (const root of roots) void queries.invalidateQueries({ queryKey: [root] });
}

/** What was changed; the first event says how many changes were announced before. */
interface Change {
  table: string;
  heard?: number;
}

/** How far a take is. */
export interface Progress {
  key: string;
  stage: string;
  progress: number;
  seconds_left: number | null;
  seconds_gone: number;
}

/** Put how far a take is into what is shown of it. */
export function patch(queries: QueryClient, { key, stage, progress, seconds_left, seconds_gone }: Progress) {
  queries.setQueryData<Queue>(["queue"], (queue) => {
    const before = queue?.items.find((item) => item.key === key);
    if (!queue || !before) return queue;
    const shorter = (before.seconds_left ?? 0) - (seconds_left ?? 0);
    const now = { stage, progress, seconds_left, seconds_gone };
    return {
      ...queue,
      items: queue.items.map((item) => (item.key === key ? { ...item, ...now } : item)),
      seconds_left: queue.seconds_left === null ? null : Math.max(0, queue.seconds_left - shorter),
    };
  });
  queries.setQueriesData<Trial>({ queryKey: ["trials"] }, (trial) =>
    trial?.entries?.some((entry) => entry.take_key === key)
      ? {
          ...trial,
          entries: trial.entries.map((entry) =>
            entry.take_key === key ? { ...entry, stage, progress, seconds_left } : entry,
          ),
        }
      : trial,
  );
}

/** Follow the server's events; what they name is fetched again, several at a time. */
export function useLive() {
  const queries = useQueryClient();
  useEffect(() => {
    const tables = new Set<string>();
    let timer: number | undefined;
    let first = true;
    let asked = -LEAST_PAUSE_MS;
    let silence = window.setTimeout(lose, SILENT_MS);
    const source = new EventSource("/api/events");
    source.onerror = lose;
    source.onmessage = (message) => {
      find();
      window.clearTimeout(silence);
      silence = window.setTimeout(lose, SILENT_MS);
      const event = JSON.parse(String(message.data)) as Change | Progress;
      if ("stage" in event) return patch(queries, event);
      const { table, heard } = event;
      const fresh = first && heard === oldestAnswer();
      first = false;
      if (fresh) return; // nothing has changed since the page asked for what it shows
      tables.add(table);
      timer ??= window.setTimeout(
        () => {
          void refresh(queries, new Set(tables));
          tables.clear();
          timer = undefined;
          asked = performance.now();
        },
        Math.max(GATHER_MS, asked + LEAST_PAUSE_MS - performance.now()),
      );
    };
    return () => {
      source.close();
      window.clearTimeout(silence);
      window.clearTimeout(timer);
    };
  }, [queries]);
}
