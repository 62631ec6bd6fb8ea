import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Pass, Recipe, RecipeItem } from "../../api/client";

/** A recipe that is being written: every step since it was opened, and the version that it was then. */
interface Draft {
  history: Recipe[];
  version?: number;
}

/** Recipes that are not saved yet, kept in this browser: by the id of one that is changed, or by a name of their own. */
const useDrafts = create<{ drafts: Record<string, Draft> }>()(
  persist(() => ({ drafts: {} }), { name: "recipes" }),
);
window.addEventListener("storage", ({ key }) => key === "recipes" && void useDrafts.persist.rehydrate());

const keep = (key: string, draft: Draft) =>
  useDrafts.setState(({ drafts }) => ({ drafts: { ...drafts, [key]: draft } }));

const touched = ({ history }: Draft) => history.length > 1;

/** Begin a new recipe; those that were begun and never touched are let go. */
export function begin(recipe: Recipe): string {
  const key = `new-${Date.now().toString(36)}`;
  useDrafts.setState(({ drafts }) => ({
    drafts: {
      ...Object.fromEntries(Object.entries(drafts).filter(([, draft]) => touched(draft))),
      [key]: { history: [recipe] },
    },
  }));
  return key;
}

/** A draft was saved as this recipe; what was written after that was sent is kept as a change of it. */
export function settle(key: string, sent: Recipe, saved: RecipeItem) {
  const now = useDrafts.getState().drafts[key]?.history.at(-1) ?? sent;
  letGo(key);
  if (JSON.stringify(now) !== JSON.stringify(sent))
    keep(saved.id, { history: [sent, now], version: saved.version });
}

/** Let go what is not wanted. */
export const letGo = (key: string) =>
  useDrafts.setState(({ drafts }) => ({
    drafts: Object.fromEntries(Object.entries(drafts).filter(([other]) => other !== key)),
  }));

/** The new recipe with a key as it was begun, if this browser has it. */
export const useBegun = (key: string | null) =>
  useDrafts(({ drafts }) => (key === null ? undefined : drafts[key]?.history[0]));

/** What is not saved yet: names by id or key. */
export function useUnsaved(): Record<string, string> {
  const drafts = useDrafts((all) => all.drafts);
  return Object.fromEntries(
    Object.entries(drafts)
      .filter(([, draft]) => touched(draft))
      .map(([key, { history }]) => [key, history.at(-1)?.name ?? ""]),
  );
}

const onlyRenamed = (one: Recipe, other: Recipe) =>
  JSON.stringify({ ...one, name: "" }) === JSON.stringify({ ...other, name: "" });

/** The recipe being written, with every step undoable; letters of a name are one step. */
export function useRecipeDraft(key: string, start: Recipe, version: number | undefined) {
  const kept = useDrafts(({ drafts }) => drafts[key]);
  const history = kept?.history ?? [start];
  const based = kept ? kept.version : version;
  const draft = history.at(-1) as Recipe;
  const change = (values: Partial<Recipe>) => {
    const next = { ...draft, ...values };
    const before = history.at(-2);
    const same = before && values.name !== undefined && onlyRenamed(before, next);
    keep(key, { history: [...(same ? history.slice(0, -1) : history), next], version: based });
  };
  const setPasses = (passes: Pass[]) => change({ passes });
  return {
    draft,
    based,
    changed: history.length > 1,
    undo: () => history.length > 1 && keep(key, { history: history.slice(0, -1), version: based }),
    rename: (name: string) => change({ name }),
    overSize: (over_size: number) => change({ over_size }),
    blendWith: (blend: Recipe["blend"]) => change({ blend }),
    add: (method: string) => setPasses([...draft.passes, { method, settings: {} }]),
    put: (at: number, pass: Pass) => setPasses(draft.passes.with(at, pass)),
    remove: (at: number) => setPasses(draft.passes.toSpliced(at, 1)),
    move: (at: number, step: number) => {
      const pass = draft.passes[at];
      if (pass) setPasses(draft.passes.toSpliced(at, 1).toSpliced(at + step, 0, pass));
    },
  };
}
