import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "./client";
import type { components } from "./schema";

export type PriceBookShown = components["schemas"]["PriceBookShown"];
export type Job = components["schemas"]["Job"];

export const usePrices = () =>
  useQuery({ queryKey: ["prices"], queryFn: () => answer(client.GET("/api/prices")) });

/** Save the price book that was read at a version; what others changed meanwhile is not overwritten. */
export function useSavePrices() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: PriceBookShown) => answer(client.PUT("/api/prices", { body })),
    onSuccess: (saved) => queries.setQueryData(["prices"], saved),
  });
}

export function useSetJob(trial: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Job) =>
      answer(client.PUT("/api/trials/{trial_id}/job", { params: { path: { trial_id: trial } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["trials", trial], exact: true }),
  });
}
