import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

const TOUCHED: Record<string, string[]> = {
  takes: ["queue", "trials"],
  sources: ["sources"],
  models: ["models", "methods"],
  speeds: ["plan"],
  verdicts: ["trials", "playbook"],
  spots: ["spots"],
  remarks: ["remarks"],
  entries: ["trials"],
};
const GATHER_MS = 150;

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
    const source = new EventSource("/api/events");
    source.onmessage = (message) => {
      tables.add((JSON.parse(String(message.data)) as { table: string }).table);
      timer ??= window.setTimeout(() => {
        void refresh(queries, new Set(tables));
        tables.clear();
        timer = undefined;
      }, GATHER_MS);
    };
    return () => {
      source.close();
      window.clearTimeout(timer);
    };
  }, [queries]);
}
