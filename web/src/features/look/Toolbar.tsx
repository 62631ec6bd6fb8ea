import type { FaultMap, Trial } from "../../api/client";
import { LIFTS, useViewport } from "../../viewer/viewport";
import { CHIP, FIELD } from "./chip";
import type { Mode } from "./useLook";
import { ViewingSize } from "./ViewingSize";

const MODES: [Mode, string, string][] = [
  ["wall", "Wall", "Q"],
  ["wipe", "Wipe", "W"],
  ["difference", "Difference", "D"],
  ["zooms", "Three zooms", "R"],
  ["time", "Over time", "O"],
];

function ZoomChips({ factor }: { factor: number }) {
  const zoom = useViewport((view) => view.zoom);
  const zoomTo = useViewport((view) => view.zoomTo);
  const steps: [string, number | null, string][] = [
    ["Fit", null, "F"],
    ["100 %", 1, "G"],
    ["200 %", 2, "H"],
  ];
  if (factor !== 1 && factor !== 2) steps.push([`${Number((factor * 100).toFixed(1))} %`, factor, "J"]);
  return (
    <div role="group" aria-label="Zoom" className="flex">
      {steps.map(([name, step, key]) => (
        <button
          key={key}
          type="button"
          title={`Key ${key}`}
          className={CHIP}
          aria-pressed={zoom === step}
          onClick={() => zoomTo(step)}
        >
          {name}
        </button>
      ))}
    </div>
  );
}

interface SwitchProps {
  name: string;
  hint: string;
  on?: boolean;
  act: () => void;
}

function Switch({ name, hint, on, act }: SwitchProps) {
  return (
    <button type="button" className={CHIP} aria-pressed={on} title={hint} onClick={act}>
      {name}
    </button>
  );
}

interface Props {
  trial: Trial;
  mode: Mode;
  count: number;
  most: number;
  maps: FaultMap[];
  fault: string | null;
  change: (values: Record<string, string>) => void;
  setCount: (count: number) => void;
  compare: (mode: Mode) => void;
  switches: SwitchProps[];
}

/** How the pictures are shown: one row that says what each thing is. */
export function Toolbar(props: Props) {
  const { trial, mode, count, most, maps, fault, change, setCount, compare, switches } = props;
  const smooth = useViewport((view) => view.smooth);
  const lift = useViewport((view) => view.lift);
  const counted = mode === "panes" || mode === "time";
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-x-2 gap-y-1 px-3 py-1.5 text-small">
      <div role="group" aria-label="Panes" className="flex items-center">
        <span className="mr-1 text-lamp-soft">Panes</span>
        {Array.from({ length: most }, (_, at) => at + 1).map((number) => (
          <button
            key={number}
            type="button"
            className={CHIP}
            aria-pressed={counted && count === number}
            onClick={() => setCount(number)}
          >
            {number}
          </button>
        ))}
        {MODES.filter(([one]) => one !== "time" || trial.frames > 1).map(([one, name, key]) => (
          <Switch key={one} name={name} hint={`Key ${key}`} on={mode === one} act={() => compare(one)} />
        ))}
      </div>
      <ZoomChips factor={trial.factor} />
      <ViewingSize pixels={trial.plan.target.width} audience={trial.setup.audience ?? null} />
      {mode === "panes" && (
        <span className="flex items-center gap-1">
          <span className="text-lamp-soft">Map</span>
          <select
            aria-label="Map"
            value={fault ?? ""}
            title="Key Y"
            onChange={(event) => change({ map: event.target.value })}
            className={`${FIELD} w-28`}
          >
            <option value="">none</option>
            {maps.map(({ id, name }) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </select>
        </span>
      )}
      <div className="flex">
        <Switch
          name="Smooth"
          hint="Key S"
          on={smooth}
          act={() => change({ smooth: smooth ? "no" : "yes" })}
        />
        <Switch
          name={lift > 1 ? `Lift ${lift}×` : "Lift"}
          hint="Key L: shows dark pictures brighter, their values stay"
          on={lift > 1}
          act={() => change({ lift: String(liftAfter(lift)) })}
        />
        {switches.map((each) => (
          <Switch key={each.name} {...each} />
        ))}
      </div>
    </div>
  );
}

/** The next lift in the round. */
export const liftAfter = (lift: number) => LIFTS[(LIFTS.indexOf(lift) + 1) % LIFTS.length] ?? 1;
