import type { Moved, NativeSetup, Source } from "../../api/client";
import { useSources } from "../../api/queries";
import { pixels } from "../../ui/format";
import { NumberField } from "../../ui/NumberField";
import { FIELD, Trouble } from "../../ui/parts";

/** Two places, and no minus before nothing. */
const hundredths = (value: number) => (Number(value.toFixed(2)) + 0).toFixed(2);

const ARROW = 0.05; // of the picture's width, the longest one

/** Where the two still lie off one another, and which way: the longest arrow is as long as the worst is off. */
function Residual({ windows, tall }: { windows: Moved[]; tall: number }) {
  const long = Math.max(...windows.map(({ right, down }) => Math.hypot(right, down)));
  return (
    <figure className="mt-2" data-testid="residual">
      <svg viewBox={`0 0 1 ${tall}`} className="w-72 border border-line bg-well" role="img">
        <title>{`${windows.length} parts lie off`}</title>
        {windows.map(({ x, y, right, down }) => (
          <g
            key={`${x} ${y}`}
            transform={`translate(${x} ${tall * y})`}
            className="stroke-accent fill-accent"
          >
            <circle r={0.006} stroke="none" />
            <line x2={(ARROW * right) / long} y2={(ARROW * down) / long} strokeWidth={0.004} />
          </g>
        ))}
      </svg>
      <figcaption className="text-note text-soft">
        Where: the longest line is {long.toFixed(2)} px, each points to where the larger version has it.
      </figcaption>
    </figure>
  );
}

/** How the larger version lies on the source, and how its colours differ, in words. */
function Laid({ setup: { alignment: found, gains }, tall }: { setup: NativeSetup; tall: number }) {
  if (!found) return null;
  const brightness = gains.length ? gains.reduce((sum, { times }) => sum + times, 0) / gains.length : 1;
  return (
    <ul className="mt-2 space-y-0.5 text-small" data-testid="laid">
      <li>
        It is {found.scale.toFixed(3)} times as large, moved by {hundredths(found.right)} and{" "}
        {hundredths(found.down)} pixels of the source, turned by {hundredths(found.turn)}° (±{" "}
        {Math.max(found.error, 0.01).toFixed(2)} px). Where that is nothing within the error, its own pixels
        are the truth; else it is brought to its place. Only what both show takes part.
      </li>
      {found.local > 0 && (
        <li className="border-l-4 border-accent pl-2">
          Somewhere the two lie {found.local.toFixed(2)} px off one another beyond that: figures there tell of
          it, not of the methods.
          {found.windows?.[0] && <Residual windows={found.windows} tall={tall} />}
        </li>
      )}
      {Math.abs(brightness - 1) > 0.02 && (
        <li>Its contrast is {Math.round(100 / brightness)} % of the source’s.</li>
      )}
    </ul>
  );
}

interface Props {
  source: Source | null;
  setup: NativeSetup;
  change: (part: Partial<NativeSetup>) => void;
  error: Error | null;
  looking: boolean;
}

/** The larger version that the results are held against, how it lies, and what the two took to make. */
export function NativePick({ source, setup, change, error, looking }: Props) {
  const others = (useSources().data?.pages.flatMap((page) => page.items) ?? []).filter(
    ({ id, state, facts }) =>
      id !== source?.id && state === "ready" && (facts?.width ?? 0) >= (source?.facts?.width ?? 0),
  );
  const facts = source?.facts;
  return (
    <fieldset className="space-y-3">
      <legend className="mb-1 text-note text-soft">The native version</legend>
      <label className="block">
        <span className="sr-only">The native version</span>
        <select
          value={setup.native}
          onChange={(event) => change({ native: event.target.value })}
          className={`${FIELD} w-full`}
        >
          <option value="">Choose a larger version of the same scene from the Shelf</option>
          {others.map((other) => (
            <option key={other.id} value={other.id}>
              {other.name}
              {other.facts && `, ${pixels(other.facts)}`}
            </option>
          ))}
        </select>
      </label>
      {looking && <p className="text-small text-soft">Aligning the two</p>}
      <Trouble error={error} />
      {!looking && !error && <Laid setup={setup} tall={facts ? facts.height / facts.width : 1} />}
      {setup.native && (
        <>
          <label className="flex items-center gap-2 text-small">
            <input
              type="checkbox"
              className="size-4 accent-accent"
              checked={setup.match_colours}
              onChange={(event) => change({ match_colours: event.target.checked })}
            />
            Bring its level and contrast to those of the source
          </label>
          <div
            className="flex flex-wrap items-center gap-x-5 gap-y-2"
            role="group"
            aria-label="Time to make a frame"
          >
            <span className="text-small">To make a frame, if you know:</span>
            <NumberField
              name="native"
              unit="s"
              value={setup.native_seconds ?? null}
              onChange={(native_seconds) => change({ native_seconds })}
              onEmpty={() => change({ native_seconds: null })}
            />
            <NumberField
              name="small"
              unit="s"
              value={setup.source_seconds ?? null}
              onChange={(source_seconds) => change({ source_seconds })}
              onEmpty={() => change({ source_seconds: null })}
            />
            <NumberField
              name="transfer"
              unit="s"
              value={setup.transfer_seconds ?? null}
              onChange={(transfer_seconds) => change({ transfer_seconds })}
              onEmpty={() => change({ transfer_seconds: null })}
            />
          </div>
        </>
      )}
    </fieldset>
  );
}
