import { useNavigate } from "react-router";
import type { Trial } from "../../api/client";
import { useRemoveTrial } from "../../api/queries";
import { toAddress } from "./setupAddress";
import { lasting, noise, percent, pixels, rateOf } from "../../ui/format";
import { Button, ButtonLink, Fact, Page, Trouble } from "../../ui/parts";

/** How this trial was set up; a set-up never changes, another one is another trial. */
export function SetupSummary({ trial }: { trial: Trial }) {
  const remove = useRemoveTrial();
  const go = useNavigate();
  const { plan } = trial;
  const moving = trial.frames > 1;
  const part: Record<string, string> = moving
    ? { first: String(trial.first), frames: String(trial.frames) }
    : {};
  const last = trial.first + trial.frames - 1;
  return (
    <Page
      title="Set-up"
      actions={
        <>
          <Button onClick={() => remove.mutate(trial, { onSuccess: () => void go("/trials") })}>
            Remove the trial
          </Button>
          <ButtonLink
            tone="main"
            to={`/trials/new?${new URLSearchParams({ source: trial.source_id, ...toAddress(trial.setup), ...part })}`}
          >
            Set up another
          </ButtonLink>
        </>
      }
    >
      <Trouble error={remove.error} />
      <dl className="grid max-w-3xl grid-cols-3 gap-x-8 gap-y-4 rounded-sm border border-line bg-sheet p-5">
        <Fact name="Source">{trial.source_name}</Fact>
        {moving && (
          <Fact name="Part">
            {`frames ${trial.first} to ${last}, ${lasting(trial.frames, rateOf(trial.rate))}`}
          </Fact>
        )}
        <Fact name="Test">
          <span className="inline-block first-letter:uppercase">
            {trial.setup.test === "truth" && "truth test, "}
            {trial.words}
          </span>
        </Fact>
        <Fact name="Factor reached">
          {plan.factors.map((factor) => Number(factor.toFixed(4))).join(" × ")}
        </Fact>
        <Fact name={trial.has_truth ? "Truth" : "Target"}>
          {`${pixels(plan.target)}${trial.has_truth ? `, ${trial.bit_depth} bit` : ""}`}
        </Fact>
        <Fact name="Cropped">
          {plan.cropped.some(Boolean) ? `${plan.cropped.join(" × ")} px` : "nothing"}
        </Fact>
        <Fact name="Input">{`${pixels(plan.input)}, ${percent(plan.share)} of the data`}</Fact>
        <Fact name="Noise of the input">{trial.input_traits ? noise(trial.input_traits) : null}</Fact>
        <Fact name="Looked at">
          {trial.setup.audience
            ? `${trial.setup.audience.width} cm wide from ${trial.setup.audience.distance} cm`
            : "as finely as one can see"}
        </Fact>
        <Fact name="Results">16 bit, lossless</Fact>
        <Fact name="Timed">
          {moving ? `${trial.frames} frames, ${plan.repeats} each` : `${plan.repeats} repeats`}
        </Fact>
      </dl>
    </Page>
  );
}
