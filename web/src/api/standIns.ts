import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, type TruthSetup } from "./client";
import type { components } from "./schema";

export type StandIns = components["schemas"]["StandIns"];

/** What could stand in for the truth of a trial without one, what does, and what it foretells by a measure. */
export const useStandIns = (trial: string, measure: string | null) =>
  useQuery({
    queryKey: ["trials", trial, "stand-ins", measure],
    queryFn: () =>
      answer(
        client.GET("/api/trials/{trial_id}/stand-ins", {
          params: { path: { trial_id: trial }, query: { measure } },
        }),
      ),
    placeholderData: keepPreviousData,
  });

export function useStandIn(trial: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { source_ids: string[]; setup: TruthSetup; soft: boolean }) =>
      answer(
        client.POST("/api/trials/{trial_id}/stand-ins", { params: { path: { trial_id: trial } }, body }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["trials"] }),
  });
}
