import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, type Stated } from "../../api/client";
import { send } from "../../ui/useImport";

interface Delivery {
  files: File[];
  stated: Stated;
  resample: boolean;
}

const formOf = ({ files, stated, resample }: Delivery) => {
  const form = new FormData();
  for (const file of files) form.append("files", file);
  form.append("stated", JSON.stringify(stated));
  form.append("resample", String(resample));
  return form;
};

/** Send a result that was made elsewhere; `share` of it has gone. */
export function useDeliver(trial: string) {
  const queries = useQueryClient();
  const [share, progress] = useState(0);
  const sending = useMutation({
    mutationFn: (delivery: Delivery) => {
      progress(0);
      const name = delivery.files[0]?.name ?? "The result";
      return send({ name, to: `trials/${trial}/delivered`, form: () => formOf(delivery) }, progress);
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["trials", trial] }),
  });
  return { ...sending, share };
}

/** Say anew how a result was made, resample one that was refused for its size, or take one away. */
export function useDelivered(trial: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ letter, stated }: { letter: string; stated: Stated | "resample" | null }) => {
      const params = { path: { trial_id: trial, letter } };
      if (stated === "resample")
        return answer(client.POST("/api/trials/{trial_id}/entries/{letter}/resample", { params }));
      return stated
        ? answer(client.PUT("/api/trials/{trial_id}/entries/{letter}/stated", { params, body: stated }))
        : answer(client.DELETE("/api/trials/{trial_id}/entries/{letter}", { params }));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["trials", trial] }),
  });
}
