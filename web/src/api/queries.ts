import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import {
  answer,
  client,
  type ReadAs,
  type Recipe,
  type RecipeItem,
  type Setup,
  type Source,
  type SourceAsked,
  type TrialRequest,
  type Trial,
  type VerdictRequest,
} from "./client";
import { notify } from "../ui/notice";

/** Server state lives here only: one hook a resource, keyed by the table the events name. */
export const useKinds = () =>
  useQuery({
    queryKey: ["kinds"],
    queryFn: () => answer(client.GET("/api/kinds")),
    staleTime: Infinity,
  });

export const useSources = (asked: SourceAsked = {}) =>
  useInfiniteQuery({
    queryKey: ["sources", "list", asked],
    queryFn: ({ pageParam }) =>
      answer(client.GET("/api/sources", { params: { query: { ...asked, cursor: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next_cursor ?? undefined,
    placeholderData: keepPreviousData,
  });

export const useSource = (id: string | null) =>
  useQuery({
    queryKey: ["sources", id],
    queryFn: () =>
      answer(client.GET("/api/sources/{source_id}", { params: { path: { source_id: id ?? "" } } })),
    enabled: id !== null,
  });

export const useRecipes = () =>
  useQuery({ queryKey: ["recipes"], queryFn: () => answer(client.GET("/api/recipes")) });

export const useMethods = () =>
  useQuery({
    queryKey: ["methods"],
    queryFn: () => answer(client.GET("/api/methods")),
    staleTime: Infinity,
  });

/** Add a recipe, or replace the one with the id given. */
export function useSaveRecipe() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id, recipe, version }: { id: string | null; recipe: Recipe; version?: number }) => {
      if (id === null) return answer(client.POST("/api/recipes", { body: recipe }));
      const params = { path: { recipe_id: id }, query: { version } };
      return answer(client.PUT("/api/recipes/{recipe_id}", { params, body: recipe }));
    },
    onSuccess: (saved) => {
      queries.setQueryData<RecipeItem[]>(["recipes"], (all) =>
        all?.map((recipe) => (recipe.id === saved.id ? saved : recipe)),
      );
      return queries.invalidateQueries({ queryKey: ["recipes"] });
    },
  });
}

export function useRemoveRecipe() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id }: { id: string; recipe: Recipe }) =>
      answer(client.DELETE("/api/recipes/{recipe_id}", { params: { path: { recipe_id: id } } })),
    onSuccess: (_, { recipe }) => {
      notify({
        words: `The recipe ${recipe.name} was removed; trials that ran it keep their takes.`,
        undo: () => answer(client.POST("/api/recipes", { body: recipe })),
      });
      return queries.invalidateQueries({ queryKey: ["recipes"] });
    },
  });
}

export const useModels = () =>
  useQuery({ queryKey: ["models"], queryFn: () => answer(client.GET("/api/models")) });

export function useRemoveModel() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id }: { id: string; name: string }) =>
      answer(client.DELETE("/api/models/{model_id}", { params: { path: { model_id: id } } })),
    onSuccess: (_, { id, name }) => {
      const params = { path: { model_id: id } };
      notify({
        words: `The model ${name} was removed.`,
        undo: () => answer(client.POST("/api/models/{model_id}/restore", { params })),
      });
      return Promise.all(["models", "methods"].map((key) => queries.invalidateQueries({ queryKey: [key] })));
    },
  });
}

export const useTrials = () =>
  useInfiniteQuery({
    queryKey: ["trials"],
    queryFn: ({ pageParam }) =>
      answer(client.GET("/api/trials", { params: { query: { cursor: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next_cursor ?? undefined,
  });

export const trialQuery = (id: string) => ({
  queryKey: ["trials", id],
  queryFn: () => answer(client.GET("/api/trials/{trial_id}", { params: { path: { trial_id: id } } })),
});

export const useTrial = (id: string) => useQuery(trialQuery(id));

export const useQueue = () =>
  useQuery({ queryKey: ["queue"], queryFn: () => answer(client.GET("/api/queue")) });

/** Who works, on this and on other machines; they are heard of every other second. */
export const useWorkers = () =>
  useQuery({
    queryKey: ["workers"],
    queryFn: () => answer(client.GET("/api/workers")),
    refetchInterval: 3000,
  });

export const usePlaybook = () =>
  useQuery({ queryKey: ["playbook"], queryFn: () => answer(client.GET("/api/playbook")) });

/** The verdicts of a kind that came before one, a page at a time. */
export const useEarlierVerdicts = (kind: string, before: number, wanted: boolean) =>
  useInfiniteQuery({
    queryKey: ["playbook", kind, before],
    queryFn: ({ pageParam }) =>
      answer(
        client.GET("/api/playbook/{kind}", { params: { path: { kind }, query: { before: pageParam } } }),
      ),
    initialPageParam: before,
    getNextPageParam: ({ verdicts, more }) => (more > 0 ? verdicts.at(-1)?.id : undefined),
    enabled: wanted,
  });

export const usePlan = (
  source: Source | null,
  setup: Setup,
  part: { first: number; frames: number },
  recipes: string[],
) =>
  useQuery({
    queryKey: ["plan", source?.id, setup, part, recipes],
    queryFn: () =>
      answer(
        client.POST("/api/plans", {
          body: { source_id: source?.id ?? "", setup, ...part, recipe_ids: recipes },
        }),
      ),
    enabled: source !== null,
    placeholderData: keepPreviousData,
    retry: false,
    // What is refused stays refused: asking again whenever the page looks would clear the reason, and flicker.
    retryOnMount: false,
  });

/** The set-up of a test against a larger version, completed by how it lies on the source. */
export const useAligned = (source: string | null, native: string, frame: number) =>
  useQuery({
    queryKey: ["alignment", source, native, frame],
    queryFn: () =>
      answer(client.POST("/api/alignments", { body: { source_id: source ?? "", native_id: native, frame } })),
    enabled: source !== null && native !== "",
    staleTime: Infinity,
    retry: false,
    retryOnMount: false,
  });

export const usePreview = (
  source: string,
  setup: Setup,
  place: { frame: number; across: number; down: number },
) =>
  useQuery({
    queryKey: ["preview", source, setup, place],
    queryFn: ({ signal }) =>
      answer(client.POST("/api/previews", { body: { source_id: source, setup, ...place }, signal })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });

interface SourceEdit {
  id: string;
  kind?: string;
  story?: string;
  name?: string;
  version?: number;
}

export function useEditSource() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id, version, ...body }: SourceEdit) =>
      answer(
        client.PATCH("/api/sources/{source_id}", {
          params: { path: { source_id: id }, query: { version } },
          body,
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  });
}

export function useReadOtherwise() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id, how }: { id: string; how: ReadAs }) =>
      answer(
        client.PUT("/api/sources/{source_id}/colour", { params: { path: { source_id: id } }, body: how }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  });
}

export function useRemoveSource() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id }: { id: string; name: string }) =>
      answer(client.DELETE("/api/sources/{source_id}", { params: { path: { source_id: id } } })),
    onSuccess: (_, { id, name }) => {
      const params = { path: { source_id: id } };
      notify({
        words: `${name} was taken off the Shelf.`,
        undo: () => answer(client.POST("/api/sources/{source_id}/restore", { params })),
      });
      return queries.invalidateQueries({ queryKey: ["sources"] });
    },
  });
}

interface Batch {
  sources: string[];
  trial: Omit<TrialRequest, "source_id">;
}

/** Start the same trial on each of the sources; those after one that is refused are started too, and that is said. */
export const useStartTrials = () =>
  useMutation({
    mutationFn: async ({ sources, trial }: Batch) => {
      const started: string[] = [];
      const refused: Error[] = [];
      for (const source_id of sources) {
        try {
          const { id } = await answer(client.POST("/api/trials", { body: { ...trial, source_id } }));
          started.push(id);
        } catch (error) {
          refused.push(error as Error);
        }
      }
      if (refused[0] && started.length > 0)
        throw new Error(
          `${started.length} of ${sources.length} trials run; the others were refused: ${refused.map(({ message }) => message).join(" ")}`,
        );
      if (refused[0]) throw refused[0];
      return started;
    },
  });

/** Put a part of a still on the Shelf as a source of its own. */
export function useImportPart(source: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (part: { left: number; top: number; width: number; height: number }) =>
      answer(
        client.POST("/api/sources/{source_id}/parts", {
          params: { path: { source_id: source } },
          body: { ...part, frame: 0 },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  });
}

/** Cancel or retry one take, cancel a whole trial, or run everything again that failed. */
export function useTakeAction() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (act: {
      cancel?: { key: string; name: string };
      retry?: string;
      /** Cancel all takes of a trial; those that wait or run now can be brought back. */
      cancelTrial?: { id: string; keys: string[] };
      retryFailed?: boolean;
      /** Bring a take that waits before another one, or to the end. */
      move?: { key: string; before: string | null };
    }) => {
      const path = (key: string) => ({ params: { path: { key } } });
      const again = (key: string) => answer(client.POST("/api/takes/{key}/retry", path(key)));
      if (act.cancel) {
        const { key, name } = act.cancel;
        await answer(client.POST("/api/takes/{key}/cancel", path(key)));
        notify({ words: `${name} was cancelled.`, undo: () => again(key) });
      }
      if (act.retry) await again(act.retry);
      if (act.move)
        await answer(
          client.POST("/api/takes/{key}/move", {
            ...path(act.move.key),
            body: { before: act.move.before },
          }),
        );
      if (act.retryFailed) await answer(client.POST("/api/queue/retry"));
      if (act.cancelTrial) {
        const { id, keys } = act.cancelTrial;
        const params = { path: { trial_id: id } };
        const { count } = await answer(client.POST("/api/trials/{trial_id}/cancel", { params }));
        notify({
          words: count === 1 ? "One result was cancelled." : `${count} results were cancelled.`,
          undo: () => Promise.all(keys.map(again)),
        });
      }
    },
    onSettled: () => queries.invalidateQueries(),
  });
}

export function useRemoveTrial() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id }: { id: string; name: string }) =>
      answer(client.DELETE("/api/trials/{trial_id}", { params: { path: { trial_id: id } } })),
    onSuccess: (_, { id, name }) => {
      const params = { path: { trial_id: id } };
      notify({
        words: `The trial ${name} was removed.`,
        undo: () => answer(client.POST("/api/trials/{trial_id}/restore", { params })),
      });
      queries.removeQueries({ queryKey: ["trials", id] });
      return queries.invalidateQueries({ queryKey: ["trials"], exact: true });
    },
  });
}

export function useWriteVerdict(trial: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: VerdictRequest) =>
      answer(client.POST("/api/trials/{trial_id}/verdicts", { params: { path: { trial_id: trial } }, body })),
    onSuccess: (fresh: Trial) => {
      queries.setQueryData(["trials", trial], fresh);
      return queries.invalidateQueries({ queryKey: ["playbook"] });
    },
  });
}
