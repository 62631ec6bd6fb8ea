import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import type { Picture, Trial } from "../../api/client";
import { Button } from "../../ui/parts";
import { useDriver } from "../../viewer/player";
import { LIFTS, useViewport } from "../../viewer/viewport";
import { CHIP } from "./chip";
import { Compared } from "./Compared";
import { Moments } from "./Moments";
import { PartScores } from "./PartScores";
import { Slot } from "./Slot";
import { KEYS, useKeys } from "./useKeys";
import { useChoices, useLook, useSlice, type Choice } from "./useLook";

const COLUMNS = [
  "",
  "grid-cols-1",
  "grid-cols-2",
  "grid-cols-3",
  "grid-cols-2 grid-rows-2",
  "grid-cols-3 grid-rows-2",
  "grid-cols-3 grid-rows-2",
];
const MODES = [
  ["wipe", "Wipe", "W"],
  ["difference", "Difference", "D"],
  ["time", "Over time", "O"],
] as const;
const NOTHING: Picture[] = [];
const SURROUNDS = ["#3a3a3a", "#777777", "#b4b4b4"];

function KeyList({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Dialog open={open} onClose={close} className="relative z-10">
      <div className="fixed inset-0 grid place-items-center bg-black/40 p-4">
        <DialogPanel className="max-h-full overflow-y-auto rounded-sm bg-sheet p-6">
          <DialogTitle className="text-xl font-semibold">Keys</DialogTitle>
          <dl className="my-4 grid grid-cols-[auto_1fr] gap-x-6 gap-y-1.5">
            {KEYS.map(([key, meaning]) => (
              <div key={key} className="contents">
                <dt className="font-semibold">{key}</dt>
                <dd>{meaning}</dd>
              </div>
            ))}
          </dl>
          <Button onClick={close}>Close</Button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

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

/** Several results at the same place: one viewport, panes, flip in place, a divider, a difference. */
export function LookPage({ trial }: { trial: Trial }) {
  const choices = useChoices(trial);
  const look = useLook(trial, choices);
  const [surround, setSurround] = useState(1);
  const [help, setHelp] = useState(false);
  const [measuring, setMeasuring] = useState(false);
  const smooth = useViewport((view) => view.smooth);
  const toggleSmooth = useViewport((view) => view.toggleSmooth);
  const lift = useViewport((view) => view.lift);
  const raise = () => look.change({ lift: String(LIFTS[(LIFTS.indexOf(lift) + 1) % LIFTS.length]) });
  const letters = choices.map((choice) => choice.id).filter((id) => id.length === 1);
  useKeys({
    factor: trial.setup.factor,
    letters,
    put: look.put,
    hold: look.hold,
    turn: look.turn,
    help: () => setHelp(true),
    measure: () => setMeasuring(true),
    panes: () => look.setCount(2),
    compare: look.compare,
    swap: look.swap,
    back: look.back,
    raise,
  });
  const seen = look.panes.flatMap((id) => choices.find((choice) => choice.id === id)?.picture ?? []);
  useDriver(look.mode === "time" ? NOTHING : seen);
  const axis = look.params.get("along") === "column" ? "column" : "row";
  const slice = useSlice(axis);
  const pair = look.mode === "wipe" || look.mode === "difference" ? look.mode : null;
  const choiceOf = (id: string) => choices.find((choice) => choice.id === id) as Choice;
  const truth = choiceOf("truth").picture;
  const shown = look.panes.map((id, index) => choiceOf(index === look.focus && look.held ? look.held : id));
  return (
    <div
      className="viewing flex h-full min-h-0 flex-col bg-[#3f3f3f] text-[#ececec]"
      style={{ ["--surround" as string]: SURROUNDS[surround] }}
    >
      <title>{`Look at ${trial.name} – Mistline`}</title>
      <div className="flex shrink-0 flex-wrap items-center gap-x-2.5 gap-y-1 px-3 py-1.5 text-[14px]">
        <div role="group" aria-label="Panes" className="flex items-center">
          <span className="mr-1 text-[#c4c4c4]">Panes</span>
          {COLUMNS.slice(1, choices.length + 1)
            .map((_, at) => at + 1)
            .map((count) => (
              <button
                key={count}
                type="button"
                className={CHIP}
                aria-pressed={!pair && look.panes.length === count}
                onClick={() => look.setCount(count)}
              >
                {count}
              </button>
            ))}
          {MODES.filter(([mode]) => mode !== "time" || trial.frames > 1).map(([mode, name, key]) => (
            <button
              key={mode}
              type="button"
              className={CHIP}
              title={`Key ${key}`}
              aria-pressed={look.mode === mode}
              onClick={() => look.compare(mode)}
            >
              {name}
            </button>
          ))}
        </div>
        <div role="group" aria-label="Shown in the active pane" className="flex items-center">
          <span className="mr-1 text-[#c4c4c4]">{!pair ? "Active pane" : "Active side"}</span>
          {choices.map((choice) => (
            <button
              key={choice.id}
              type="button"
              title={choice.name}
              className={CHIP}
              aria-pressed={look.panes[look.focus] === choice.id}
              onClick={() => look.put(choice.id)}
            >
              {choice.plate}
            </button>
          ))}
        </div>
        <ZoomChips factor={trial.setup.factor} />
        <button type="button" className={CHIP} aria-pressed={smooth} onClick={toggleSmooth} title="Key S">
          Smooth
        </button>
        <button
          type="button"
          className={CHIP}
          aria-pressed={lift > 1}
          title="Key L: shows dark pictures brighter, their values stay"
          onClick={raise}
        >
          {lift > 1 ? `Lift ${lift}×` : "Lift"}
        </button>
        <button type="button" className={CHIP} onClick={() => setSurround((surround + 1) % SURROUNDS.length)}>
          Surround
        </button>
        <button type="button" className={CHIP} onClick={() => setMeasuring(true)} title="Key M">
          Measure this part
        </button>
        <button type="button" className={`${CHIP} ml-auto`} onClick={() => setHelp(true)}>
          Keys ?
        </button>
      </div>
      <div className={`grid min-h-0 flex-1 gap-0.5 ${pair ? "" : (COLUMNS[look.panes.length] ?? "")}`}>
        {!pair ? (
          shown.map((choice, index) => (
            <Slot
              key={index}
              choice={choice}
              extent={trial.plan.truth}
              truth={truth}
              active={index === look.focus && look.panes.length > 1}
              slice={look.mode === "time" ? slice : null}
              onActivate={() => look.setFocus(index)}
            />
          ))
        ) : (
          <Compared
            look={look}
            mode={pair}
            sides={[shown[0] as Choice, shown[1] as Choice]}
            extent={trial.plan.truth}
            truth={truth}
          />
        )}
      </div>
      {look.mode === "time" && (
        <div className="flex items-center gap-4 px-4 py-1 text-[14px]">
          <button
            type="button"
            className={CHIP}
            onClick={() => look.change({ along: axis === "row" ? "column" : "row" })}
          >
            {axis === "row" ? "Show a column" : "Show a row"}
          </button>
          <p className="text-[13px] text-[#e0e0e0]" data-testid="slice-place">
            {axis === "row"
              ? `Row ${slice.at} of every frame, time going down`
              : `Column ${slice.at} of every frame, time going right`}
          </p>
        </div>
      )}
      {trial.frames > 1 && <Moments trial={trial} />}
      <PartScores trial={trial} open={measuring} close={() => setMeasuring(false)} />
      <KeyList open={help} close={() => setHelp(false)} />
    </div>
  );
}
