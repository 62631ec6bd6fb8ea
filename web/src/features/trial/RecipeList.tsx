import type { Plan, RecipeItem } from "../../api/client";
import { seconds } from "../../ui/format";
import { Button } from "../../ui/parts";

interface RecipeListProps {
  recipes: RecipeItem[];
  suggested: Map<string, string>;
  chosen: string[];
  plan: Plan | undefined;
  /** All frames of the source. */
  frames: number;
  has_truth: boolean;
  toggle: (id: string) => void;
  reset: (none: boolean) => void;
}

/** Who competes: what is worth trying first, with the time that each will take. */
export function RecipeList({
  recipes,
  suggested,
  chosen,
  plan,
  frames,
  has_truth,
  toggle,
  reset,
}: RecipeListProps) {
  const outlook = new Map(plan?.forecasts.map((forecast) => [forecast.recipe_id, forecast]));
  return (
    <fieldset>
      <legend className="mb-1 flex items-baseline gap-4 text-note text-soft">
        Recipes that compete
        <Button tone="quiet" className="!py-0" onClick={() => reset(false)}>
          Suggested ones
        </Button>
        <Button tone="quiet" className="!py-0" onClick={() => reset(true)}>
          None
        </Button>
      </legend>
      <ul className="divide-y divide-line border-y border-line">
        {recipes.map((recipe) => {
          const known = outlook.get(recipe.id);
          return (
            <li key={recipe.id}>
              <label className="grid grid-cols-[auto_1fr_auto] items-center gap-3 px-1 py-1.5">
                <input
                  type="checkbox"
                  className="size-4 accent-accent"
                  checked={chosen.includes(recipe.id)}
                  onChange={() => toggle(recipe.id)}
                />
                <span>
                  <span className="font-medium">{recipe.name}</span>
                  {recipe.words !== recipe.name && (
                    <span className="block text-small text-soft">{recipe.words}</span>
                  )}
                  {known?.way && <span className="block text-small text-soft">{known.way}.</span>}
                  {suggested.has(recipe.id) && (
                    <span className="block text-small text-accent-deep">
                      Worth trying: {suggested.get(recipe.id)}.
                    </span>
                  )}
                </span>
                <span className="text-right text-small text-soft">
                  {known?.seconds != null
                    ? `about ${seconds(known.seconds)}, from ${known.basis}${known.count && known.count > 1 ? ` (${known.count})` : ""}`
                    : chosen.includes(recipe.id) && "timing a crop"}
                  {known?.seconds != null && plan && plan.frames < frames && (
                    <span className="block">
                      all {frames} frames once:{" "}
                      {seconds((known.seconds * frames) / (plan.frames * plan.repeats))}
                    </span>
                  )}
                </span>
              </label>
            </li>
          );
        })}
      </ul>
      <p className="mt-2 text-small text-soft">
        {has_truth
          ? "Two controls enter by themselves: nearest neighbour, and the truth through the same write and read."
          : "One control enters by itself: nearest neighbour, the input as it is."}
      </p>
    </fieldset>
  );
}
