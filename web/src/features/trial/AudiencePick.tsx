import type { Setup } from "../../api/client";
import { NumberField } from "../../ui/NumberField";
import { perDegreeOf, SHARP } from "../../viewer/viewingSize";
import { Pick } from "./Pick";

type Audience = Setup["audience"];
const INCH = 2.54;
const USUAL = { width: 120, distance: 200 };

/** How wide a print will be, in cm; of anything else that is not known. */
function printed(setup: Setup, shape: number): number | null {
  if (setup.test !== "no truth" || setup.target?.kind !== "print") return null;
  const { length, unit, side } = setup.target;
  const long = length * (unit === "in" ? INCH : 1);
  return Number((side === "height" ? long * shape : long).toFixed(1));
}

interface Props {
  setup: Setup;
  /** Of the results, as far as they are known. */
  target: { width: number; height: number } | undefined;
  change: (audience: Audience) => void;
}

/** From where the results are looked at; figures as they are seen go by it. */
export function AudiencePick({ setup, target, change }: Props) {
  const audience = setup.audience ?? null;
  const wide = printed(setup, target ? target.width / target.height : 1) ?? USUAL.width;
  const perDegree = audience && target && perDegreeOf(target.width, audience);
  return (
    <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
      <Pick
        name="Looked at, for figures as they are seen"
        options={[
          ["near", "as finely as one can see"],
          ["far", "from a distance"],
        ]}
        value={audience ? "far" : "near"}
        onChange={(way) => change(way === "near" ? null : { ...USUAL, width: wide })}
      />
      {audience && (
        <>
          <NumberField
            name="shown"
            unit="cm wide"
            min={0.1}
            max={1e5}
            value={audience.width}
            onChange={(width) => change({ ...audience, width })}
          />
          <NumberField
            name="from"
            unit="cm"
            min={0.1}
            max={1e6}
            value={audience.distance}
            onChange={(distance) => change({ ...audience, distance })}
          />
          {perDegree && (
            <span className="pb-1 text-small text-soft" data-testid="sight">
              {Math.round(perDegree)} pixels a degree,{" "}
              {perDegree > SHARP ? "finer than sharp sight" : "within sharp sight"}
            </span>
          )}
        </>
      )}
    </div>
  );
}
