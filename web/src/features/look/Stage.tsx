import type { FaultMap, MapAnswer, Spot, Trial } from "../../api/client";
import { Compared } from "./Compared";
import { CHIP } from "./chip";
import { MapBar, type Mapped } from "./MapBar";
import { Slot } from "./Slot";
import { Strip } from "./Strip";
import { paired, useSlice, type Choice, type Look } from "./useLook";
import type { Parts } from "./useParts";
import { Wall } from "./Wall";
import { Zooms } from "./Zooms";

const COLUMNS = [
  "",
  "grid-cols-1",
  "grid-cols-2",
  "grid-cols-3",
  "grid-cols-2 grid-rows-2",
  "grid-cols-3 grid-rows-2",
  "grid-cols-3 grid-rows-2",
];

interface SliceProps {
  at: number;
  axis: "row" | "column";
  change: Look["change"];
}

/** Which row or column of every frame is shown. */
function SliceBar({ at, axis, change }: SliceProps) {
  return (
    <div className="flex items-center gap-4 px-4 py-1 text-small">
      <button
        type="button"
        className={CHIP}
        onClick={() => change({ along: axis === "row" ? "column" : "row" })}
      >
        {axis === "row" ? "Show a column" : "Show a row"}
      </button>
      <p className="text-note text-lamp" data-testid="slice-place">
        {axis === "row"
          ? `Row ${at} of every frame, time going down`
          : `Column ${at} of every frame, time going right`}
      </p>
    </div>
  );
}

interface Props {
  trial: Trial;
  choices: Choice[];
  /** What the panes show, an entry that is held instead of the active one. */
  shown: Choice[];
  active: Choice;
  look: Look;
  parts: Parts;
  spots: Spot[];
  mapped: Mapped | null;
  kind: FaultMap | undefined;
  map: MapAnswer | null;
  loupe: boolean;
}

/** The pictures themselves, in the mode that is chosen, and what is read off them. */
export function Stage({
  trial,
  choices,
  shown,
  active,
  look,
  parts,
  spots,
  mapped,
  kind,
  map,
  loupe,
}: Props) {
  const { mode, change } = look;
  const axis = look.params.get("along") === "column" ? "column" : "row";
  const slice = useSlice(axis);
  const truth = choices.find(({ id }) => id === "truth")?.picture ?? null;
  const pair = paired(mode) ? mode : null;
  const onDraw = parts.marking ? parts.draw : null;
  return (
    <>
      {mode === "wall" && (
        <Wall
          trial={trial}
          choices={choices}
          spots={spots}
          by={look.params.get("by")}
          hand={(look.params.get("order") ?? "").split(",")}
          change={change}
          go={(spot, id) => {
            parts.go(spot);
            change({ mode: "panes", panes: id, focus: "0" });
          }}
          find={() => change({ side: "spots" })}
        />
      )}
      {mode === "zooms" && <Zooms trial={trial} shown={shown} />}
      {(mode === "panes" || mode === "time") && (
        <div className={`grid min-h-0 flex-1 gap-0.5 ${COLUMNS[look.panes.length] ?? ""}`}>
          {shown.map((choice, index) => (
            <Slot
              key={index}
              choice={choice}
              trial={trial}
              truth={truth}
              marks={parts.marksOf(choice)}
              onDraw={onDraw}
              mapped={mapped}
              loupe={loupe}
              pinned={look.pinned.includes(choice.id)}
              onPin={() => look.pin(choice.id)}
              placed={look.placed.includes(choice.id)}
              onPlace={() => look.place(choice.id)}
              active={index === look.focus && look.panes.length > 1}
              slice={mode === "time" ? slice : null}
              onActivate={() => look.setFocus(index)}
              onDrop={(id) => look.putAt(id, index)}
            />
          ))}
        </div>
      )}
      {pair && (
        <div className="grid min-h-0 flex-1">
          <Compared
            look={look}
            mode={pair}
            sides={[shown[0] as Choice, shown[1] as Choice]}
            extent={trial.plan.target}
            truth={truth}
            marks={parts.marksOf(active)}
            onDraw={onDraw}
          />
        </div>
      )}
      {kind && mapped && mode === "panes" && (
        <MapBar kind={kind} mapped={mapped} active={active} map={map} change={change} go={parts.go} />
      )}
      {parts.taken && (
        <Strip
          trial={trial}
          part={parts.taken.part}
          spot={parts.taken.spot}
          active={active}
          made={(spot) => parts.take({ part: spot, spot })}
          close={() => parts.take(null)}
        />
      )}
      {mode === "time" && <SliceBar at={slice.at} axis={axis} change={change} />}
    </>
  );
}
