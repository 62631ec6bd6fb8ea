import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Recipe, RecipeItem } from "../../api/client";
import { useMethods, useRecipes, useSaveRecipe } from "../../api/queries";
import { problem as lost } from "../../api/live";
import { Button, Page, Trouble } from "../../ui/parts";
import { begin, useBegun, useUnsaved } from "./drafts";
import { RecipeEditor } from "./RecipeEditor";

const BLANK: Recipe = { name: "", passes: [], over_size: 1 };

interface ListProps {
  recipes: RecipeItem[];
  unsaved: Record<string, string>;
  chosen: string | null;
  choose: (key: string) => void;
}

/** New recipes that are not saved yet, then all that are. */
function List({ recipes, unsaved, chosen, choose }: ListProps) {
  const begun = Object.keys(unsaved).filter((key) => !recipes.some(({ id }) => id === key));
  const items = [...begun.map((id) => ({ id, name: unsaved[id] || "A new recipe", words: "" })), ...recipes];
  return (
    <ul className="h-fit divide-y divide-line border-y border-line">
      {items.map(({ id, name, words }) => (
        <li key={id}>
          <button
            type="button"
            aria-current={id === chosen}
            onClick={() => choose(id)}
            className="w-full border-l-4 border-transparent bg-sheet px-3 py-2 text-left hover:bg-wash aria-[current=true]:border-accent"
          >
            <span className="block font-medium">{name}</span>
            <span className="block truncate text-note text-soft" title={words}>
              {id in unsaved ? "not saved yet" : words}
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}

/** Bring in a recipe that was saved as JSON. */
function FromFile({ onSaved }: { onSaved: (id: string) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const save = useSaveRecipe();
  const [problem, setProblem] = useState<Error | null>(null);
  const read = async (file: File) => {
    try {
      const recipe = JSON.parse(await file.text()) as Recipe;
      setProblem(null);
      save.mutate({ id: null, recipe }, { onSuccess: ({ id }) => onSaved(id) });
    } catch {
      setProblem(new Error(`${file.name} is not a recipe; choose a JSON file that was saved here.`));
    }
  };
  return (
    <>
      <Trouble error={problem ?? save.error} />
      <Button onClick={() => input.current?.click()}>From a file</Button>
      <input
        ref={input}
        type="file"
        hidden
        accept=".json"
        data-testid="recipe-file"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void read(file);
          event.target.value = "";
        }}
      />
    </>
  );
}

/** Recipes and their editor. */
export function RecipesPage() {
  const [params, setParams] = useSearchParams();
  const recipes = useRecipes();
  const methods = useMethods().data ?? [];
  const unsaved = useUnsaved();
  const key = params.get("draft");
  const begun = useBegun(key);
  const items = recipes.data ?? [];
  const open = (id: string | null) => setParams(id ? { recipe: id } : {}, { replace: true });
  const write = (draft: string) => setParams({ draft }, { replace: true });
  const from = methods.find(({ id }) => id === params.get("from"));
  const chosen =
    begun || from ? null : (items.find((recipe) => recipe.id === params.get("recipe")) ?? items[0] ?? null);
  useEffect(() => {
    const recipe = from && { name: from.name, passes: [{ method: from.id, settings: {} }], over_size: 1 };
    if (recipe) setParams({ draft: begin(recipe) }, { replace: true });
  }, [from, setParams]);
  const start =
    begun ??
    (chosen && {
      name: chosen.name,
      passes: chosen.passes,
      blend: chosen.blend,
      over_size: chosen.over_size,
    });
  const draftKey = begun ? key : chosen?.id;
  return (
    <Page
      title="Recipes"
      actions={
        <>
          <FromFile onSaved={open} />
          <Button tone="main" onClick={() => write(begin(BLANK))}>
            New recipe
          </Button>
        </>
      }
    >
      <Trouble error={lost(recipes)} />
      <div className="grid gap-8 lg:grid-cols-[18rem_1fr]">
        <List
          recipes={items}
          unsaved={unsaved}
          chosen={draftKey ?? null}
          choose={(id) => (id in unsaved && !items.some((recipe) => recipe.id === id) ? write(id) : open(id))}
        />
        {start && draftKey && methods.length > 0 && (
          <RecipeEditor
            key={draftKey}
            id={chosen?.id ?? null}
            draftKey={draftKey}
            start={start}
            version={chosen?.version}
            fixed={chosen?.shipped ?? false}
            methods={methods}
            recipes={items}
            onSaved={open}
            onDuplicate={(recipe) => write(begin(recipe))}
          />
        )}
      </div>
    </Page>
  );
}
