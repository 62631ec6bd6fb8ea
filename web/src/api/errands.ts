import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "./client";
import type { components } from "./schema";

export type Errand = components["schemas"]["Errand"];
export type Offer = components["schemas"]["Offer"];

/** What services would do for a trial, and what has been sent to them. */
export const useErrands = (trial: string) =>
  useQuery({
    queryKey: ["errands", trial],
    queryFn: () =>
      answer(client.GET("/api/trials/{trial_id}/errands", { params: { path: { trial_id: trial } } })),
  });

/** Send the input, give an errand up, or say what may be spent. */
export function useErrandAction(trial: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (act: { send?: string; cancel?: string; budget?: number | null }) => {
      const params = { path: { trial_id: trial } };
      if (act.send)
        await answer(
          client.POST("/api/trials/{trial_id}/errands", { params, body: { connector: act.send } }),
        );
      if (act.cancel)
        await answer(
          client.POST("/api/errands/{errand_id}/cancel", { params: { path: { errand_id: act.cancel } } }),
        );
      if (act.budget !== undefined)
        await answer(client.PUT("/api/trials/{trial_id}/budget", { params, body: { budget: act.budget } }));
    },
    onSettled: () => queries.invalidateQueries({ queryKey: ["errands", trial] }),
  });
}
