import { useState } from "react";
import type { Method, Pass, Recipe, RecipeItem } from "../../api/client";
import { useRemoveRecipe, useSaveRecipe } from "../../api/queries";
import { Button, ConfirmButton, Trouble } from "../../ui/parts";
import { byFamily } from "./form";
import { PassForm } from "./PassForm";

const ORIGINAL = "the original";

interface Props {
  id: string | null;
  start: Recipe;
  /** At which it was opened. */
  version: number | undefined;
  fixed: boolean;
  methods: Method[];
  recipes: RecipeItem[];
  onSaved: (id: string | null) => void;
  onDuplicate: (recipe: Recipe) => void;
}

/** The passes being edited, with every step undoable. */
function useDraft(start: Recipe) {
  const [history, setHistory] = useState([start]);
  const draft = history.at(-1) as Recipe;
  const change = (values: Partial<Recipe>) => setHistory((before) => [...before, { ...draft, ...values }]);
  const setPasses = (passes: Pass[]) => change({ passes });
  return {
    draft,
    changed: history.length > 1,
    undo: () => setHistory((before) => (before.length > 1 ? before.slice(0, -1) : before)),
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

function AddPass({ methods, add }: { methods: Method[]; add: (id: string) => void }) {
  return (
    <select
      aria-label="Add a pass"
      value=""
      onChange={(event) => add(event.target.value)}
      className="rounded-sm border border-line bg-sheet px-2 py-1.5"
    >
      <option value="">Add a pass</option>
      {byFamily(methods).map(([family, members]) => (
        <optgroup key={family} label={family}>
          {members.map((method) => (
            <option key={method.id} value={method.id}>
              {method.name}
            </option>
          ))}
        </optgroup>
      ))}
    </select>
  );
}

interface OverProps {
  blend: Recipe["blend"];
  recipes: RecipeItem[];
  fixed: boolean;
  change: (blend: Recipe["blend"]) => void;
}

/** Another result laid over this one: the original, or that of another recipe as it is now. */
function Over({ blend, recipes, fixed, change }: OverProps) {
  const others = recipes.filter((recipe) => !recipe.blend);
  const pick = (name: string) => {
    const other = others.find((recipe) => recipe.name === name);
    change(name ? { opacity: blend?.opacity ?? 0.3, name, passes: other?.passes ?? [] } : null);
  };
  return (
    <div className="flex flex-wrap items-center gap-3 border-b border-line bg-sheet px-4 py-2.5">
      <label className="flex items-center gap-2">
        <span className="font-display text-lg font-semibold">Lay over it</span>
        <select
          aria-label="Lay over it"
          value={blend?.name ?? ""}
          disabled={fixed}
          onChange={(event) => pick(event.target.value)}
          className="rounded-sm border border-line bg-paper px-2 py-1 disabled:opacity-70"
        >
          <option value="">nothing</option>
          <option value={ORIGINAL}>{ORIGINAL}</option>
          {blend && blend.name !== ORIGINAL && !others.some(({ name }) => name === blend.name) && (
            <option value={blend.name}>{blend.name}</option>
          )}
          {others.map(({ id, name }) => (
            <option key={id} value={name}>
              {name}
            </option>
          ))}
        </select>
      </label>
      {blend && (
        <label className="flex items-center gap-2">
          <input
            type="number"
            aria-label="Opacity, %"
            min={1}
            max={99}
            value={Math.round((blend.opacity ?? 0.3) * 100)}
            disabled={fixed}
            onChange={({ target }) =>
              target.value && change({ ...blend, opacity: Number(target.value) / 100 })
            }
            className="w-20 rounded-sm border border-line bg-paper px-2 py-1 disabled:opacity-70"
          />
          <span className="text-note text-soft">% opacity; both start from the same input.</span>
        </label>
      )}
    </div>
  );
}

/** Whether it is made larger than the target and then brought down. */
function OverSize({ value, fixed, change }: { value: number; fixed: boolean; change: (to: number) => void }) {
  const steps = [...new Set([1, 1.25, 1.5, 2, 3, 4, value])].sort((a, b) => a - b);
  return (
    <div className="flex flex-wrap items-center gap-3 border-b border-line bg-sheet px-4 py-2.5">
      <label className="flex items-center gap-2">
        <span className="font-display text-lg font-semibold">Over-size</span>
        <select
          aria-label="Over-size"
          value={value}
          disabled={fixed}
          onChange={({ target }) => change(Number(target.value))}
          className="rounded-sm border border-line bg-paper px-2 py-1 disabled:opacity-70"
        >
          {steps.map((step) => (
            <option key={step} value={step}>
              {step === 1 ? "no, straight to the target" : `${step} times the target, then down`}
            </option>
          ))}
        </select>
      </label>
      {value > 1 && (
        <span className="text-note text-soft">
          {Number((value * value).toFixed(2))} times the pixels; brought down by Lanczos at the end.
        </span>
      )}
    </div>
  );
}

/** A recipe: its name and its passes in order. A shipped one can be read and duplicated, not changed. */
export function RecipeEditor({ id, start, version, fixed, methods, recipes, onSaved, onDuplicate }: Props) {
  const { draft, changed, undo, rename, blendWith, overSize, add, put, remove, move } = useDraft(start);
  const save = useSaveRecipe();
  const [based, baseOn] = useState(version);
  const drop = useRemoveRecipe();
  const methodOf = (pass: Pass) => methods.find((method) => method.id === pass.method);
  const enlarges = draft.passes.some((pass) => methodOf(pass)?.resizes);
  return (
    <section aria-label="Recipe" className="min-w-0">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <input
          aria-label="Name of the recipe"
          value={draft.name}
          disabled={fixed}
          maxLength={80}
          placeholder="Name of the recipe"
          onChange={(event) => rename(event.target.value)}
          className="min-w-0 flex-1 border-b border-line bg-transparent py-1 font-display text-2xl font-semibold disabled:border-transparent"
        />
        {id && (
          <a className="px-1 text-accent-deep hover:underline" href={`/api/recipes/${id}/file`} download>
            JSON
          </a>
        )}
        <Button onClick={() => onDuplicate({ ...draft, name: `${draft.name}, copy` })}>Duplicate</Button>
        {id && !fixed && (
          <ConfirmButton
            question={`Remove ${start.name}? Trials that ran it keep their takes.`}
            act={() => drop.mutate(id, { onSuccess: () => onSaved(null) })}
          >
            Remove
          </ConfirmButton>
        )}
      </div>
      {fixed && (
        <p className="mb-3 text-soft">This recipe ships with Mistline. Duplicate it to make it your own.</p>
      )}
      <ol className="border-t border-line">
        {draft.passes.map((pass, at) => {
          const method = methodOf(pass);
          return (
            method && (
              <PassForm
                key={at}
                pass={pass}
                number={at + 1}
                last={at === draft.passes.length - 1}
                method={method}
                fixed={fixed}
                change={(next) => put(at, next)}
                move={(step) => move(at, step)}
                remove={() => remove(at)}
              />
            )
          );
        })}
      </ol>
      {draft.passes.length > 0 && (
        <>
          <Over blend={draft.blend ?? null} recipes={recipes} fixed={fixed} change={blendWith} />
          <OverSize value={draft.over_size ?? 1} fixed={fixed} change={overSize} />
        </>
      )}
      {!fixed && (
        <div className="mt-4 flex flex-wrap items-center gap-3">
          <AddPass methods={methods} add={add} />
          <Button disabled={!changed} onClick={undo}>
            Undo
          </Button>
          <Button
            tone="main"
            className="ml-auto"
            disabled={
              !draft.name.trim() || draft.passes.length === 0 || save.isPending || (id !== null && !changed)
            }
            onClick={() =>
              save.mutate(
                { id, recipe: draft, version: based },
                { onSuccess: (saved) => (baseOn(saved.version), onSaved(saved.id)) },
              )
            }
          >
            Save the recipe
          </Button>
        </div>
      )}
      {!enlarges && draft.passes.length > 0 && (
        <p className="mt-2 text-soft">Without a pass that enlarges it cannot enter a truth test.</p>
      )}
      <div className="mt-3">
        <Trouble error={save.error ?? drop.error} />
      </div>
    </section>
  );
}
