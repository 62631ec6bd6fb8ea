import type { Method, Pass, Recipe, RecipeItem } from "../../api/client";
import { useRemoveRecipe, useSaveRecipe } from "../../api/queries";
import { Button, Trouble } from "../../ui/parts";
import { letGo, settle, useRecipeDraft } from "./drafts";
import { byFamily } from "./form";
import { PassForm } from "./PassForm";

const ORIGINAL = "the original";

interface Props {
  /** Of a recipe that is saved; a new one has none. */
  id: string | null;
  /** Of what is being written. */
  draftKey: string;
  start: Recipe;
  version: number | undefined;
  fixed: boolean;
  methods: Method[];
  recipes: RecipeItem[];
  onSaved: (id: string | null) => void;
  onDuplicate: (recipe: Recipe) => void;
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
export function RecipeEditor(props: Props) {
  const { id, draftKey, start, version, fixed, methods, recipes, onSaved, onDuplicate } = props;
  const { draft, based, changed, ...edit } = useRecipeDraft(draftKey, start, version);
  const save = useSaveRecipe();
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
          onChange={(event) => edit.rename(event.target.value)}
          className="min-w-0 flex-1 border-b border-line bg-transparent py-1 font-display text-2xl font-semibold disabled:border-transparent"
        />
        {id && (
          <a className="px-1 text-accent-deep hover:underline" href={`/api/recipes/${id}/file`} download>
            JSON
          </a>
        )}
        <Button onClick={() => onDuplicate({ ...draft, name: `${draft.name}, copy` })}>Duplicate</Button>
        {id && !fixed && (
          <Button onClick={() => drop.mutate({ id, recipe: start }, { onSuccess: () => onSaved(null) })}>
            Remove
          </Button>
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
                change={(next) => edit.put(at, next)}
                move={(step) => edit.move(at, step)}
                remove={() => edit.remove(at)}
              />
            )
          );
        })}
      </ol>
      {draft.passes.length > 0 && (
        <>
          <Over blend={draft.blend ?? null} recipes={recipes} fixed={fixed} change={edit.blendWith} />
          <OverSize value={draft.over_size ?? 1} fixed={fixed} change={edit.overSize} />
        </>
      )}
      {!fixed && (
        <div className="mt-4 flex flex-wrap items-center gap-3">
          <AddPass methods={methods} add={edit.add} />
          <Button disabled={!changed} onClick={edit.undo}>
            Undo
          </Button>
          {(changed || !id) && (
            <Button tone="quiet" onClick={() => (letGo(draftKey), save.reset(), onSaved(id))}>
              Discard
            </Button>
          )}
          {changed && <span className="text-note text-soft">Not saved yet; kept in this browser.</span>}
          <Button
            tone="main"
            className="ml-auto"
            disabled={
              !draft.name.trim() || draft.passes.length === 0 || save.isPending || (id !== null && !changed)
            }
            onClick={() =>
              save.mutate(
                { id, recipe: draft, version: based },
                { onSuccess: (saved) => (settle(draftKey, draft, saved), onSaved(saved.id)) },
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
