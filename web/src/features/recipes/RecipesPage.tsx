import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { Recipe, RecipeItem } from "../../api/client";
import { useMethods, useRecipes, useSaveRecipe } from "../../api/queries";
import { problem as lost } from "../../api/live";
import { Button, Page, Trouble } from "../../ui/parts";
import { RecipeEditor } from "./RecipeEditor";

const BLANK: Recipe = { name: "", passes: [], over_size: 1 };

function List({
  recipes,
  chosen,
  choose,
}: {
  recipes: RecipeItem[];
  chosen: string | null;
  choose: (id: string) => void;
}) {
  return (
    <ul className="h-fit divide-y divide-line border-y border-line">
      {recipes.map((recipe) => (
        <li key={recipe.id}>
          <button
            type="button"
            aria-current={recipe.id === chosen}
            onClick={() => choose(recipe.id)}
            className="w-full border-l-4 border-transparent bg-sheet px-3 py-2 text-left hover:bg-wash aria-[current=true]:border-accent"
          >
            <span className="block font-medium">{recipe.name}</span>
            <span className="block truncate text-note text-soft" title={recipe.words}>
              {recipe.words}
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
  const [blank, setBlank] = useState<{ recipe: Recipe; turn: number } | null>(null);
  const items = recipes.data ?? [];
  const chosen =
    blank || params.has("from")
      ? null
      : (items.find((recipe) => recipe.id === params.get("recipe")) ?? items[0] ?? null);
  const open = (id: string | null) => {
    setBlank(null);
    setParams(id ? { recipe: id } : {}, { replace: true });
  };
  const from = methods.find(({ id }) => id === params.get("from"));
  const begin = (recipe: Recipe) => setBlank({ recipe, turn: (blank?.turn ?? 0) + 1 });
  const start =
    blank?.recipe ??
    (from && { name: from.name, passes: [{ method: from.id, settings: {} }], over_size: 1 }) ??
    (chosen && {
      name: chosen.name,
      passes: chosen.passes,
      blend: chosen.blend,
      over_size: chosen.over_size,
    });
  return (
    <Page
      title="Recipes"
      actions={
        <>
          <FromFile onSaved={open} />
          <Button tone="main" onClick={() => begin(BLANK)}>
            New recipe
          </Button>
        </>
      }
    >
      <Trouble error={lost(recipes)} />
      <div className="grid gap-8 lg:grid-cols-[18rem_1fr]">
        <List recipes={items} chosen={chosen?.id ?? null} choose={open} />
        {start && methods.length > 0 && (
          <RecipeEditor
            key={blank ? `blank ${blank.turn}` : (chosen?.id ?? from?.id)}
            id={chosen?.id ?? null}
            start={start}
            version={chosen?.version}
            fixed={chosen?.shipped ?? false}
            methods={methods}
            recipes={items}
            onSaved={open}
            onDuplicate={begin}
          />
        )}
      </div>
    </Page>
  );
}
