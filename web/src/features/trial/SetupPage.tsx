import { useState } from "react";
import { useNavigate } from "react-router";
import { type Setup, type TruthSetup } from "../../api/client";
import { usePlan, useRecipes, useStartTrials } from "../../api/queries";
import { Button, Page, Trouble } from "../../ui/parts";
import { AudiencePick } from "./AudiencePick";
import { Damage, InputPreview } from "./Damage";
import { InNumbers } from "./InNumbers";
import { NativePick } from "./NativePick";
import { PartPick } from "./PartPick";
import { FactorPick, Pick } from "./Pick";
import { RecipeList } from "./RecipeList";
import { isForClips } from "./setupAddress";
import { AlsoOn, PartFirst, SourcePick } from "./SourcePick";
import { TargetPick, TruthSize } from "./TargetPick";
import { useSetup } from "./useSetup";

const KERNELS: [TruthSetup["kernel"], string][] = [
  ["area", "Area mean"],
  ["bicubic", "Bicubic, antialiased"],
  ["lanczos3", "Lanczos 3, antialiased"],
];
const LIGHTS: [TruthSetup["light"], string][] = [
  ["linear", "Linear light"],
  ["encoded", "Encoded values"],
];
const TESTS: [Setup["test"], string][] = [
  ["truth", "Truth test: the source is the truth, the input is made from it"],
  ["no truth", "No truth: the source is the input"],
  ["native", "Native version: the source is the input, a larger version of the scene is the truth"],
];
const ALWAYS_IN = "Nearest neighbour";
const SECTIONS = [
  ["source", "Source"],
  ["test", "Test"],
  ["recipes", "Recipes"],
] as const;

/** The way to each section: nothing is hidden, and nothing far. */
function Sections({ notes }: { notes: Partial<Record<string, string>> }) {
  return (
    <nav
      aria-label="Sections"
      className="sticky top-0 z-[1] -mt-3 flex gap-6 border-b border-line bg-paper py-2 text-small"
    >
      {SECTIONS.map(([id, name]) => (
        <button
          key={id}
          type="button"
          className={`underline-offset-4 hover:underline ${id === SECTIONS[0][0] ? "min-w-0 truncate" : "shrink-0"}`}
          title={notes[id]}
          onClick={() => document.getElementById(id)?.scrollIntoView({ block: "start" })}
        >
          <span className="font-semibold">{name}</span>{" "}
          {notes[id] && <span className="text-soft">{notes[id]}</span>}
        </button>
      ))}
    </nav>
  );
}

type Told = ReturnType<typeof useSetup>;

/** How the input of a truth test comes about. */
function TruthTest({ told, setup }: { told: Told; setup: TruthSetup }) {
  const { source, part, change } = told;
  const moving = (source?.facts?.frames ?? 1) > 1;
  return (
    <>
      <TruthSize value={setup.target ?? null} change={(target) => change({ target })} />
      <FactorPick
        name="how many times smaller each way the input is"
        value={setup.factor}
        onChange={(factor) => change({ factor })}
      />
      {setup.factor > 1 && (
        <div className="flex flex-wrap gap-x-10 gap-y-4">
          <Pick
            name="Shrunk by"
            options={KERNELS}
            value={setup.kernel}
            onChange={(kernel) => change({ kernel })}
          />
          <Pick
            name="Working in"
            options={LIGHTS}
            value={setup.light}
            onChange={(light) => change({ light })}
          />
        </div>
      )}
      <Damage setup={setup} change={change} moving={moving || isForClips(setup)} />
      {source?.state === "ready" && <InputPreview source={source} setup={setup} frame={part.first} />}
    </>
  );
}

/** Set up a trial: source, test, factor, how the input is made, who competes; and what that means in numbers. */
export function SetupPage() {
  const told = useSetup();
  const { id, source, also, setup, part, laid, known, change } = told;
  const go = useNavigate();
  const moving = (source?.facts?.frames ?? 1) > 1;
  const sameSize =
    setup.test === "native"
      ? Math.abs((setup.alignment?.scale ?? 2) - 1) < 0.005
      : setup.factor === 1 && !(setup.test === "no truth" && setup.target);
  const recipes = (useRecipes().data ?? []).filter(
    ({ name, resizes, reach }) => name !== ALWAYS_IN && (resizes || sameSize) && (moving || reach === 0),
  );
  const [own, setOwn] = useState<string[] | null>(told.recipe ? [told.recipe] : null);
  const [name, setName] = useState("");
  // What is suggested for the set-up enters, until people choose for themselves.
  const outlook = usePlan(known, setup, part, []);
  const suggested = new Map(outlook.data?.suggested.map(({ recipe_id, reason }) => [recipe_id, reason]));
  const chosen = recipes.filter(({ id }) => (own ? own.includes(id) : suggested.has(id))).map(({ id }) => id);
  const plan = usePlan(known, setup, part, chosen);
  const start = useStartTrials();
  const batch = setup.test === "native" ? [] : also;
  const run = () =>
    start.mutate(
      {
        sources: [id ?? "", ...batch],
        trial: { setup, recipe_ids: chosen, name, ...part },
      },
      { onSuccess: (ids) => void go(ids.length === 1 ? `/trials/${ids[0]}/run` : "/trials") },
    );
  const toggle = (id: string) =>
    setOwn(chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id]);
  return (
    <Page title="Set up a trial">
      <div className="grid gap-8 lg:grid-cols-[minmax(0,1fr)_21rem]">
        <div className="min-w-0 space-y-5">
          <Sections notes={{ source: source?.name, recipes: `${chosen.length} compete` }} />
          <section id="source" className="scroll-mt-12 space-y-5">
            <SourcePick value={id} onChange={told.choose} />
            {source?.state === "ready" && (
              <>
                <PartFirst key={`part ${source.id}`} source={source} choose={told.choose} />
                {setup.test !== "native" && (
                  <AlsoOn source={source} value={also} onChange={told.chooseAlso} />
                )}
                <PartPick key={source.id} source={source} part={part} change={told.changePart} />
              </>
            )}
          </section>
          <section id="test" className="scroll-mt-12 space-y-5">
            <Pick name="Test" options={TESTS} value={setup.test} onChange={told.turnTo} />
            {setup.test === "no truth" && <TargetPick setup={setup} change={change} />}
            {setup.test === "native" && (
              <NativePick
                source={source ?? null}
                setup={setup}
                change={change}
                error={laid.error}
                looking={laid.isFetching}
              />
            )}
            {setup.test === "truth" && <TruthTest told={told} setup={setup} />}
            <AudiencePick
              setup={setup}
              target={plan.data?.target}
              change={(audience) => change({ audience })}
            />
          </section>
          <section id="recipes" className="scroll-mt-12">
            <RecipeList
              recipes={[...recipes].sort((a, b) => Number(suggested.has(b.id)) - Number(suggested.has(a.id)))}
              suggested={suggested}
              chosen={chosen}
              plan={plan.data}
              frames={source?.facts?.frames ?? 1}
              has_truth={setup.test !== "no truth"}
              toggle={toggle}
              reset={(none) => setOwn(none ? [] : null)}
            />
          </section>
        </div>
        <aside className="h-fit space-y-4 rounded-sm border border-line bg-sheet p-5 lg:sticky lg:top-4">
          <h2 className="text-xl font-semibold">What will happen</h2>
          {id === null && <p className="text-soft">Choose a source first.</p>}
          {setup.test === "native" && !setup.native && (
            <p className="text-soft">Choose the native version.</p>
          )}
          <Trouble error={plan.error ?? start.error} />
          {plan.data && !plan.error && (
            <InNumbers
              plan={plan.data}
              setup={setup}
              count={chosen.length}
              length={source?.facts?.frames ?? 1}
            />
          )}
          {batch.length > 0 && (
            <p>
              And the same on <b>{batch.length} more</b> {batch.length === 1 ? "source" : "sources"}, a trial
              each.
            </p>
          )}
          <label className="block">
            <span className="mb-1 block text-note text-soft">Name of the trial (optional)</span>
            <input
              value={name}
              maxLength={120}
              onChange={(event) => setName(event.target.value)}
              className="w-full rounded-sm border border-line bg-paper px-2 py-1.5"
            />
          </label>
          <Button
            tone="main"
            className="w-full"
            disabled={!plan.data || plan.error !== null || chosen.length === 0 || start.isPending}
            onClick={run}
          >
            {batch.length > 0 ? `Run ${batch.length + 1} trials` : "Run the trial"}
          </Button>
        </aside>
      </div>
    </Page>
  );
}
