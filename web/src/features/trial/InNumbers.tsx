import type { Plan, Setup } from "../../api/client";
import { bytes, percent, pixels, seconds } from "../../ui/format";

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

/** What a set-up means in pixels, takes, time and space. */
export function InNumbers({ plan, setup, count, length }: InNumbersProps) {
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
            : `About ${seconds(total + plan.around_seconds)} in all, ${seconds(total)} of it processing; the rest is to write and to measure.`}
      </li>
      <Space plan={plan} length={length} />
    </ul>
  );
}
