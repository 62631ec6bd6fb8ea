import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "./client";
import type { components } from "./schema";

export type Fingerprint = components["schemas"]["FingerprintShown"];
export type Found = NonNullable<Fingerprint["found"]>;

/** A version of a method, as it stands in an address: "bilinear:1". */
export const keyOf = ({ method, version }: Pick<Fingerprint, "method" | "version">) => `${method}:${version}`;

export const useFingerprints = () =>
  useQuery({ queryKey: ["fingerprints"], queryFn: () => answer(client.GET("/api/fingerprints")) });

/** Have methods measured; all that have not been where none is named. */
export function useMeasureMethods() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (methods?: string[]) => answer(client.POST("/api/fingerprints", { body: { methods } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["fingerprints"] }),
  });
}

export const useDifferences = (first: Fingerprint, second: Fingerprint) =>
  useQuery({
    queryKey: ["differences", keyOf(first), keyOf(second)],
    queryFn: () =>
      answer(
        client.GET("/api/fingerprints/{method}/{version}/beside/{other}/{other_version}", {
          params: {
            path: {
              method: first.method,
              version: first.version,
              other: second.method,
              other_version: second.version,
            },
          },
        }),
      ),
    retry: false,
  });

type Plate = "plate-before" | "plate-after" | "rings-before" | "rings-after";

export const plateUrl = ({ method, version, charts }: Fingerprint, plate: Plate) =>
  `/api/fingerprints/${method}/${version}/${plate}.png?charts=${charts}`;
