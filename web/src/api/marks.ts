import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import { answer, client, type Place, type RemarkRequest, type SpotRequest, type Standing } from "./client";

/** What is marked on the pictures of a trial: spots, remarks, what is thought of its entries. */
const trialPath = (trial: string) => ({ path: { trial_id: trial } });

export const spotsQuery = (trial: string) => ({
  queryKey: ["spots", trial],
  queryFn: () => answer(client.GET("/api/trials/{trial_id}/spots", { params: trialPath(trial) })),
});

export const useSpots = (trial: string) => useQuery(spotsQuery(trial));

export const useRemarks = (trial: string) =>
  useQuery({
    queryKey: ["remarks", trial],
    queryFn: () => answer(client.GET("/api/trials/{trial_id}/remarks", { params: trialPath(trial) })),
  });

export const useDefects = () =>
  useQuery({
    queryKey: ["defects"],
    queryFn: () => answer(client.GET("/api/defects")),
    staleTime: Infinity,
  });

/** The kinds of fault that maps show, in a test with a truth or without. */
export const useMapKinds = (has_truth: boolean) =>
  useQuery({
    queryKey: ["maps", has_truth],
    queryFn: () => answer(client.GET("/api/maps", { params: { query: { has_truth } } })),
    staleTime: Infinity,
  });

/** A map of faults of an entry at a frame, or of all of them (`of`); it is made when it is asked for first. */
export const useMap = (trial: string, letter: string, fault: string | null, frame: number, of = letter) =>
  useQuery({
    queryKey: ["map", trial, of, fault, frame],
    queryFn: () =>
      answer(
        client.POST("/api/trials/{trial_id}/entries/{letter}/maps/{fault}", {
          params: { path: { trial_id: trial, letter, fault: fault ?? "" }, query: { frame } },
        }),
      ),
    enabled: fault !== null,
    staleTime: Infinity,
    retry: false,
  });

export const useSuggestedSpots = (trial: string) =>
  useMutation({
    mutationFn: (frame: number) =>
      answer(
        client.POST("/api/trials/{trial_id}/spots/suggested", {
          params: { ...trialPath(trial), query: { frame } },
        }),
      ),
  });

/** How two entries were made, what differs first, and which is better by what. */
export const useSideBySide = (trial: string, first: string, second: string, done: number) =>
  useQuery({
    queryKey: ["beside", trial, first, second, done],
    queryFn: () =>
      answer(
        client.GET("/api/trials/{trial_id}/beside", {
          params: { ...trialPath(trial), query: { first, second } },
        }),
      ),
    enabled: first !== second,
    placeholderData: keepPreviousData,
  });

const spotScores = (trial: string, spot: string, done: number) => ({
  queryKey: ["spots", trial, spot, done],
  queryFn: () =>
    answer(
      client.POST("/api/trials/{trial_id}/spots/{spot_id}/scores", {
        params: { path: { trial_id: trial, spot_id: spot } },
      }),
    ),
  staleTime: Infinity,
  retry: false,
});

/**
 * Every finished entry's scores at a spot, measured once and kept by the server. `done` says how many entries are
 * finished, so that more are measured.
 */
export const useSpotScores = (trial: string, spot: string, done: number) =>
  useQuery(spotScores(trial, spot, done));

/** What the spots together say of the entries by a measure; asked again when more of them are measured. */
export const useSpotsInWords = (trial: string, measure: string, measured: number) =>
  useQuery({
    queryKey: ["spots", trial, "words", measure, measured],
    queryFn: () =>
      answer(
        client.GET("/api/trials/{trial_id}/spots/words", {
          params: { ...trialPath(trial), query: { measure } },
        }),
      ),
    enabled: measured > 0,
  });

/** The scores at several spots, in their order; those that are not there yet are being measured. */
export const useAllSpotScores = (trial: string, spots: string[], done: number) =>
  useQueries({ queries: spots.map((spot) => spotScores(trial, spot, done)) });

/**
 * Every finished entry's scores within a part, by some measures or all; of a spot always all, since they are kept.
 * Nothing is asked without a part.
 */
export const usePartScores = (
  trial: string,
  place: Place | null,
  spot: string | null,
  done: number,
  measures: string[] | null,
) =>
  useQuery({
    ...(spot
      ? spotScores(trial, spot, done)
      : {
          queryKey: ["part", trial, place, done, measures],
          placeholderData: keepPreviousData,
          queryFn: () =>
            answer(
              client.POST("/api/trials/{trial_id}/regions", {
                params: trialPath(trial),
                body: { ...(place as Place), measures },
              }),
            ),
          staleTime: Infinity,
          retry: false,
        }),
    enabled: place !== null,
  });

/** The exact values of everything at a pixel of the truth. */
export const usePixel = (trial: string, place: Place | null, done: number) =>
  useQuery({
    queryKey: ["pixel", trial, place?.left, place?.top, place?.frame, done],
    queryFn: () =>
      answer(
        client.POST("/api/trials/{trial_id}/pixels", {
          params: trialPath(trial),
          body: { x: place?.left ?? 0, y: place?.top ?? 0, frame: place?.frame ?? 0 },
        }),
      ),
    enabled: place !== null,
    staleTime: Infinity,
    retry: false,
  });

interface Step {
  undo: () => Promise<unknown>;
  redo: () => Promise<unknown>;
}

/** What was done to spots, remarks and standings on this page, so that it can be undone and done again. */
export const useHistory = create<{ past: Step[]; future: Step[] }>(() => ({ past: [], future: [] }));

const pushed = (step: Step) =>
  useHistory.setState(({ past }) => ({ past: [...past.slice(-99), step], future: [] }));

export async function undo() {
  const { past, future } = useHistory.getState();
  const step = past.at(-1);
  if (!step) return;
  useHistory.setState({ past: past.slice(0, -1), future: [...future, step] });
  await step.undo();
}

export async function redo() {
  const { past, future } = useHistory.getState();
  const step = future.at(-1);
  if (!step) return;
  useHistory.setState({ past: [...past, step], future: future.slice(0, -1) });
  await step.redo();
}

interface Thought {
  standing: Standing | null;
  reason: string;
}

/** What can be done to the marks of a trial; each can be undone. */
export function useMarking(trial: string) {
  const queries = useQueryClient();
  const fresh = (key: string) => queries.invalidateQueries({ queryKey: [key, trial] });
  const editSpot = async (id: string, body: { name?: string; note?: string; removed?: boolean }) => {
    await answer(client.PATCH("/api/spots/{spot_id}", { params: { path: { spot_id: id } }, body }));
    await queries.invalidateQueries({ queryKey: ["spots", trial], exact: true });
  };
  const editRemark = async (id: string, body: { removed?: boolean; severity?: number }) => {
    await answer(client.PATCH("/api/remarks/{remark_id}", { params: { path: { remark_id: id } }, body }));
    await fresh("remarks");
  };
  const removal = (edit: (id: string, body: { removed: boolean }) => Promise<void>, id: string): Step => ({
    undo: () => edit(id, { removed: false }),
    redo: () => edit(id, { removed: true }),
  });
  const turned = ({ undo: redo, redo: undo }: Step): Step => ({ undo, redo });
  const addSpot = useMutation({
    mutationFn: async (body: SpotRequest) => {
      const made = await answer(
        client.POST("/api/trials/{trial_id}/spots", { params: trialPath(trial), body }),
      );
      pushed(turned(removal(editSpot, made.id)));
      await fresh("spots");
      return made;
    },
  });
  const removeSpot = useMutation({
    mutationFn: async (id: string) => {
      await editSpot(id, { removed: true });
      pushed(removal(editSpot, id));
    },
  });
  const addRemark = useMutation({
    mutationFn: async (body: RemarkRequest) => {
      const { id } = await answer(
        client.POST("/api/trials/{trial_id}/remarks", { params: trialPath(trial), body }),
      );
      pushed(turned(removal(editRemark, id)));
      await fresh("remarks");
    },
  });
  const removeRemark = useMutation({
    mutationFn: async (id: string) => {
      await editRemark(id, { removed: true });
      pushed(removal(editRemark, id));
    },
  });
  const stand = async (letter: string, body: Thought) => {
    await answer(
      client.PUT("/api/trials/{trial_id}/entries/{letter}/standing", {
        params: { path: { trial_id: trial, letter } },
        body,
      }),
    );
    await fresh("trials");
  };
  const setStanding = useMutation({
    mutationFn: async ({ letter, before, after }: { letter: string; before: Thought; after: Thought }) => {
      await stand(letter, after);
      pushed({ undo: () => stand(letter, before), redo: () => stand(letter, after) });
    },
  });
  return { addSpot, removeSpot, addRemark, removeRemark, setStanding };
}
