import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { type Plan, type RecipeItem, type Setup, type TruthSetup } from "../../api/client";
import { useAligned, usePlan, useRecipes, useSource, useSources, useStartTrial } from "../../api/queries";
import { AudiencePick } from "./AudiencePick";
import { Damage, InputPreview } from "./Damage";
import { PartPick, usualPart, type Part } from "./PartPick";
import { NativePick } from "./NativePick";
import { FactorPick, Pick } from "./Pick";
import { TargetPick, TruthSize } from "./TargetPick";
import { fromAddress, isForClips, NATIVE, NO_TRUTH, toAddress, UNDAMAGED } from "./setupAddress";
import { bytes, noise, percent, pixels, seconds } from "../../ui/format";
import { Scrubbed } from "../../ui/Filmstrip";
import { Button, Page, Trouble } from "../../ui/parts";

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
const PLAIN = { truth: UNDAMAGED, "no truth": NO_TRUTH, native: NATIVE };
const ALWAYS_IN = "Nearest neighbour";

function SourcePick({ value, onChange }: { value: string | null; onChange: (id: string) => void }) {
  const sources = useSources();
  const chosen = useSource(value).data;
  const items = (sources.data?.pages.flatMap((page) => page.items) ?? []).filter(
    (source) => source.state === "ready",
  );
  return (
    <div className="flex items-center gap-4">
      <span className="flex h-24 w-36 shrink-0 items-center justify-center bg-surround">
        {chosen && <Scrubbed source={chosen} className="max-h-24" />}
      </span>
      <label className="grow">
        <span className="mb-1 block text-note text-soft">Source</span>
        <select
          value={value ?? ""}
          onChange={(event) => onChange(event.target.value)}
          className="w-full rounded-sm border border-line bg-sheet px-2 py-1.5"
        >
          {value === null && <option value="">Choose a source from the Shelf</option>}
          {chosen && !items.some((source) => source.id === chosen.id) && (
            <option value={chosen.id}>{chosen.name}</option>
          )}
          {items.map((source) => (
            <option key={source.id} value={source.id}>
              {source.name}
            </option>
          ))}
        </select>
        {chosen?.facts && (
          <span className="mt-1 block text-small text-soft">
            {pixels(chosen.facts)}, {chosen.facts.bit_depth} bit
            {chosen.traits && `, noise ${noise(chosen.traits)}`}
          </span>
        )}
      </label>
    </div>
  );
}

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

function RecipeList({ recipes, suggested, chosen, plan, frames, has_truth, toggle, reset }: RecipeListProps) {
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

/** What the results take in the media store; and what the whole of a clip would take, in time and space. */
function Space({ plan, length }: { plan: Plan; length: number }) {
  const each = plan.frame_bytes;
  const known = plan.forecasts.flatMap((forecast) =>
    forecast.seconds == null ? [] : [(forecast.seconds / plan.frames) * length],
  );
  const [least, most] = [Math.min(...known), Math.max(...known)];
  return (
    <>
      {each != null && (
        <li>About {bytes(each * plan.frames * plan.takes)} will be kept, going by the takes so far.</li>
      )}
      {length > plan.frames && known.length > 0 && (
        <li>
          All {length} frames of the clip would take {seconds(least)}
          {most > 1.2 * least && ` to ${seconds(most)}`} a recipe
          {each != null && ` and ${bytes(each * length)} each`}.
        </li>
      )}
    </>
  );
}

interface InNumbersProps {
  plan: Plan;
  setup: Setup;
  count: number;
  /** Frames of the whole source. */
  length: number;
}

function InNumbers({ plan, setup, count, length }: InNumbersProps) {
  const known = plan.forecasts.map((forecast) => forecast.seconds);
  const total = known.every((value) => value != null)
    ? known.reduce<number>((sum, value) => sum + (value ?? 0), 0)
    : null;
  const [left = 0, top = 0] = plan.cropped;
  const controls = plan.takes - plan.forecasts.length; // a plan of a moment ago has them too
  const exact =
    setup.test !== "truth" || plan.factors.every((factor) => Math.abs(factor - setup.factor) < 1e-9);
  return (
    <ul className="space-y-2">
      {setup.test === "truth" ? (
        <>
          <li>
            The truth is <b>{pixels(plan.target)}</b>
            {setup.target
              ? `, the source brought down${left || top ? `, of which ${left} × ${top} pixels are cropped` : ""}.`
              : left || top
                ? `, cropped by ${left} × ${top} pixels to fit the factor.`
                : ", nothing is cropped."}
          </li>
          <li>
            {setup.factor === 1 ? (
              "The input keeps its size; only the damage is put on it."
            ) : (
              <>
                The input will be <b>{pixels(plan.input)}</b>: <b>{percent(plan.share)}</b> of the data is
                left (1/
                {Number((1 / plan.share).toFixed(1))}).
              </>
            )}
          </li>
        </>
      ) : (
        <>
          <li>
            The input is {left || top ? "cut from the source" : "the source"}, <b>{pixels(plan.input)}</b>;
            the results will be <b>{pixels(plan.target)}</b>,{" "}
            {[...new Set(plan.factors.map((factor) => Number(factor.toFixed(3))))].join(" × ")} times as
            large, about {bytes(plan.rgb_bytes)} a frame as plain 8-bit RGB.
          </li>
          {plan.bars.some(Boolean) && (
            <li>
              Bars of {plan.bars.join(" × ")} pixels in all will fill the frame; they are not made here.
            </li>
          )}
          {(left > 0 || top > 0) && (
            <li>
              {left} × {top} pixels of the source are cropped.
            </li>
          )}
          {setup.test === "native" ? (
            <li>They are held against the native version, which was made at that size.</li>
          ) : (
            <li>
              Nobody knows what they should look like: entries are held against the input and against one
              another, and nothing is called lost or invented.
            </li>
          )}
        </>
      )}
      {!exact && (
        <li>
          No whole number of pixels fits: the factor becomes{" "}
          {plan.factors.map((factor) => factor.toFixed(4)).join(" × ")}.
        </li>
      )}
      <li>
        <b>{count + controls} takes</b>
        {plan.frames > 1 && ` of ${plan.frames} frames`}: {count} recipes and{" "}
        {controls === 1 ? "a control" : `${controls} controls`},{" "}
        {plan.repeats === 1
          ? "each frame processed and timed once."
          : `each processed ${plan.repeats} times for the timing.`}{" "}
        Takes that exist already are not made again.
      </li>
      <li>
        {count === 0
          ? "Choose at least one recipe."
          : total === null
            ? "The time is being measured on a small crop."
            : `About ${seconds(total)} of processing, plus writing and measuring.`}
      </li>
      <Space plan={plan} length={length} />
    </ul>
  );
}

/** What an address says of the source and its part. */
const placed = (params: URLSearchParams) =>
  Object.fromEntries([...params].filter(([key]) => ["source", "first", "frames"].includes(key)));

/** Set up a trial: source, test, factor, how the input is made, who competes; and what that means in numbers. */
export function SetupPage() {
  const [params, setParams] = useSearchParams();
  const source = params.get("source");
  const go = useNavigate();
  const told = fromAddress(params);
  const shown = useSource(source).data;
  const moving = (shown?.facts?.frames ?? 1) > 1;
  const usual = usualPart(shown);
  const part = {
    first: Number(params.get("first") ?? usual.first) || 0,
    frames: Number(params.get("frames") ?? usual.frames) || 1,
  };
  // The address holds the set-up: it outlives a reload and can be handed on.
  const change = (part: Partial<Setup>) =>
    setParams((now) => ({ ...placed(now), ...toAddress({ ...fromAddress(now), ...part } as Setup) }), {
      replace: true,
    });
  const turnTo = (test: Setup["test"]) =>
    setParams((now) => ({ ...placed(now), ...toAddress(PLAIN[test]) }), { replace: true });
  const changePart = (next: Part) =>
    setParams(
      (now) => ({
        ...placed(now),
        ...toAddress(fromAddress(now)),
        first: String(next.first),
        frames: String(next.frames),
      }),
      { replace: true },
    );
  const laid = useAligned(
    source,
    told.test === "native" ? told.native : "",
    part.first + Math.floor(part.frames / 2),
  );
  const { alignment, gains = [], width = 0, height = 0, hash = "", frames = 1 } = laid.data ?? {};
  const setup: Setup =
    told.test === "native" && alignment ? { ...told, alignment, gains, width, height, hash, frames } : told;
  const known = setup.test !== "native" || setup.alignment ? (shown ?? null) : null;
  const sameSize =
    setup.test === "native"
      ? Math.abs((setup.alignment?.scale ?? 2) - 1) < 0.005
      : setup.factor === 1 && !(setup.test === "no truth" && setup.target);
  const recipes = (useRecipes().data ?? []).filter(
    ({ name, resizes, reach }) => name !== ALWAYS_IN && (resizes || sameSize) && (moving || reach === 0),
  );
  const named = params.get("recipe");
  const [own, setOwn] = useState<string[] | null>(named ? [named] : null);
  const [name, setName] = useState("");
  // What is suggested for the set-up enters, until people choose for themselves.
  const outlook = usePlan(known, setup, part, []);
  const suggested = new Map(outlook.data?.suggested.map(({ recipe_id, reason }) => [recipe_id, reason]));
  const chosen = recipes.filter(({ id }) => (own ? own.includes(id) : suggested.has(id))).map(({ id }) => id);
  const plan = usePlan(known, setup, part, chosen);
  const start = useStartTrial();
  const run = () =>
    start.mutate(
      { source_id: source ?? "", setup, recipe_ids: chosen, name, ...part },
      { onSuccess: ({ id }) => void go(`/trials/${id}/run`) },
    );
  const toggle = (id: string) =>
    setOwn(chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id]);
  return (
    <Page title="Set up a trial">
      <div className="grid gap-8 lg:grid-cols-[1fr_21rem]">
        <div className="min-w-0 space-y-5">
          <SourcePick
            value={source}
            onChange={(id) => setParams({ source: id, ...toAddress(setup) }, { replace: true })}
          />
          {shown?.state === "ready" && (
            <PartPick key={shown.id} source={shown} part={part} change={changePart} />
          )}
          <Pick name="Test" options={TESTS} value={setup.test} onChange={turnTo} />
          {setup.test === "no truth" && <TargetPick setup={setup} change={change} />}
          {setup.test === "native" && (
            <NativePick
              source={shown ?? null}
              setup={setup}
              change={change}
              error={laid.error}
              looking={laid.isFetching}
            />
          )}
          {setup.test === "truth" && (
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
              {shown?.state === "ready" && <InputPreview source={shown} setup={setup} frame={part.first} />}
            </>
          )}
          <AudiencePick
            setup={setup}
            target={plan.data?.target}
            change={(audience) => change({ audience })}
          />
          <RecipeList
            recipes={[...recipes].sort((a, b) => Number(suggested.has(b.id)) - Number(suggested.has(a.id)))}
            suggested={suggested}
            chosen={chosen}
            plan={plan.data}
            frames={shown?.facts?.frames ?? 1}
            has_truth={setup.test !== "no truth"}
            toggle={toggle}
            reset={(none) => setOwn(none ? [] : null)}
          />
        </div>
        <aside className="h-fit space-y-4 rounded-sm border border-line bg-sheet p-5 lg:sticky lg:top-4">
          <h2 className="text-xl font-semibold">What will happen</h2>
          {source === null && <p className="text-soft">Choose a source first.</p>}
          {setup.test === "native" && !setup.native && (
            <p className="text-soft">Choose the native version.</p>
          )}
          <Trouble error={plan.error ?? start.error} />
          {plan.data && !plan.error && (
            <InNumbers
              plan={plan.data}
              setup={setup}
              count={chosen.length}
              length={shown?.facts?.frames ?? 1}
            />
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
            Run the trial
          </Button>
        </aside>
      </div>
    </Page>
  );
}
