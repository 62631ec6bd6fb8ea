import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import { oldestAnswer, Unreachable } from "./client";

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
const GATHER_MS = 150;
const SILENT_MS = 40_000; // the server says something every 15 s

function refresh(queries: QueryClient, tables: Set<string>) {
  if (tables.has("*")) return queries.invalidateQueries();
  const roots = new Set([...tables].flatMap((table) => TOUCHED[table] ?? []));
  for (const root of roots) void queries.invalidateQueries({ queryKey: [root] });
}

/** Follow the server's events; what they name is fetched again, several at a time. */
export function useLive() {
  const queries = useQueryClient();
  useEffect(() => {
    const tables = new Set<string>();
    let timer: number | undefined;
    let first = true;
    let silence = window.setTimeout(lose, SILENT_MS);
    const source = new EventSource("/api/events");
    source.onerror = lose;
    source.onmessage = (message) => {
      find();
      window.clearTimeout(silence);
      silence = window.setTimeout(lose, SILENT_MS);
      const { table, heard } = JSON.parse(String(message.data)) as { table: string; heard?: number };
      const fresh = first && heard === oldestAnswer();
      first = false;
      if (fresh) return; // nothing has changed since the page asked for what it shows
      tables.add(table);
      timer ??= window.setTimeout(() => {
        void refresh(queries, new Set(tables));
        tables.clear();
        timer = undefined;
      }, GATHER_MS);
    };
    return () => {
      source.close();
      window.clearTimeout(silence);
      window.clearTimeout(timer);
    };
  }, [queries]);
}
