import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "./client";
import type { components } from "./schema";

export type Storage = components["schemas"]["Storage"];
export type Clearable = Storage["clearing"][number];

const WHILE_CLEARING_MS = 1000;

/** What takes space; asked again while something is being cleared. */
export const useStorage = () =>
  useQuery({
    queryKey: ["storage"],
    queryFn: () => answer(client.GET("/api/storage")),
    refetchInterval: ({ state }) => (state.data?.clearing.length ? WHILE_CLEARING_MS : false),
  });

export function useClear() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (what: Clearable) =>
      answer(client.POST("/api/storage/clear/{what}", { params: { path: { what } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["storage"] }),
  });
}
