import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Picture, Place, Spot, Trial } from "../../api/client";
import { useMapKinds, useRemarks, useSpots } from "../../api/marks";
import { zoomText } from "../../ui/format";
import { Button, useArrival } from "../../ui/parts";
import { useDriver, usePlayer } from "../../viewer/player";
import { SURROUNDS, useViewport, visible, type Region } from "../../viewer/viewport";
import { CHIP } from "./chip";
import { Compared } from "./Compared";
import { MapBar, readMapped, useFaultMap } from "./MapBar";
import type { Mark } from "./Marks";
import { Moments } from "./Moments";
import { Side } from "./Side";
import { download, pictureOf } from "./savePicture";
import { Slot } from "./Slot";
import { Strip } from "./Strip";
import { liftAfter, Toolbar } from "./Toolbar";
import { KEYS, useKeys } from "./useKeys";
import { paired, choicesOf, useLook, useSlice, type Choice } from "./useLook";
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
const MOST_PANES = 6;
const NOTHING: Picture[] = [];

function KeyList({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Dialog open={open} onClose={close} className="relative z-10">
      <div className="fixed inset-0 grid place-items-center bg-black/40 p-4">
        <DialogPanel className="max-h-full overflow-y-auto rounded-sm bg-sheet p-6">
          <DialogTitle className="text-xl font-semibold">Keys</DialogTitle>
          <dl className="my-4 grid grid-cols-[auto_1fr_auto_1fr] gap-x-5 gap-y-1.5 text-small">
            {KEYS.map(([key, meaning]) => (
              <div key={key} className="contents">
                <dt className="font-semibold">{key}</dt>
                <dd className="max-w-96">{meaning}</dd>
              </div>
            ))}
          </dl>
          <Button onClick={close}>Close</Button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** Put one entry after the other into the active pane, every so many seconds. */
function useFlipping(
  pace: number | null,
  letters: string[],
  put: (letter: string) => void,
  now: string | undefined,
) {
  useEffect(() => {
    if (pace === null || letters.length < 2) return;
    const timer = window.setTimeout(() => {
      const next = letters[(letters.indexOf(now ?? "") + 1) % letters.length];
      if (next) put(next);
    }, pace * 1000);
    return () => window.clearTimeout(timer);
  }, [pace, letters, put, now]);
}

/** The part that is measured, and the spot that it is, if it is one. */
interface Taken {
  part: Place;
  spot: Spot | null;
}

/** Several results at the same place: one viewport, panes, flip in place, a divider, a difference, a wall of spots. */
export function LookPage({ trial }: { trial: Trial }) {
  const choices = useMemo(() => choicesOf(trial), [trial]);
  const look = useLook(trial, choices);
  const { change, mode } = look;
  const surround = useViewport((view) => view.surround);
  const [help, setHelp] = useState(false);
  const [marking, setMarking] = useState(false);
  const [marked, setMarked] = useState(true);
  const [loupe, setLoupe] = useState(false);
  const [flipping, setFlipping] = useState(false);
  const [pace, setPace] = useState(1);
  const shownArea = useRef<HTMLDivElement>(null);
  const [taken, take] = useState<Taken | null>(null);
  const spots = useSpots(trial.id).data ?? [];
  const remarks = useRemarks(trial.id).data ?? [];
  const maps = useMapKinds(trial.has_truth).data ?? [];
  const mapped = readMapped(look.params, maps);
  const seek = usePlayer((player) => player.seek);
  const letters = choices.map((choice) => choice.id).filter((id) => id.length === 1);
  const choiceOf = (id: string) => choices.find((choice) => choice.id === id) as Choice;
  const shown = look.panes.map((id, index) => choiceOf(index === look.focus && look.held ? look.held : id));
  const active = choiceOf(look.panes[look.focus] ?? look.anchor);
  const { map } = useFaultMap(trial, active, mapped);
  const side = look.params.get("side") ?? (mode === "wall" ? "none" : "entries");
  const inRace = trial.entries.filter(({ control, standing }) => !control && standing !== "retired");
  const racing = inRace.map(({ letter }) => letter).join("");
  useFlipping(
    flipping && mode === "panes" ? pace : null,
    useMemo(() => [...racing], [racing]),
    look.put,
    look.panes[look.focus],
  );
  const finalists = trial.entries.filter(({ standing }) => standing === "finalist");

  const go = (part: Region & { frame?: number }) => {
    useViewport.getState().goTo(part);
    if (part.frame !== undefined && trial.frames > 1) seek(part.frame);
  };
  const goAndTake = (part: Place, spot: Spot | null) => {
    go(part);
    take({ part, spot });
  };
  const draw = (part: Region) => {
    setMarking(false);
    take({ part: { ...part, frame: useViewport.getState().frame }, spot: null });
  };
  /** Begin to mark, where there is a pane to mark on; or stop it. */
  const mark = () => {
    if (mode !== "panes" && !paired(mode)) change({ mode: "panes" });
    setMarking(!marking);
  };
  const flipFinalists = () => {
    const [first, second] = finalists;
    if (!first || !second) return;
    look.flip(first.letter, second.letter);
    if (spots[0]) go(spots[0]);
  };
  const save = () => {
    if (!shownArea.current) return;
    const view = useViewport.getState();
    const words = [
      trial.name,
      trial.words,
      ...(trial.frames > 1 && mode !== "wall" ? [`frame ${trial.first + view.frame}`] : []),
      mode === "wall"
        ? `${zoomText(view.zoom ?? 1)} at every spot`
        : `${Math.round(view.x)}, ${Math.round(view.y)} in the middle`,
      ...(taken?.spot ? [taken.spot.name] : []),
    ];
    void pictureOf(shownArea.current, words.join(" · ")).then(
      (file) => file && download(file, `${trial.name}.png`),
    );
  };
  const arrived = useArrival<HTMLHeadingElement>();
  const kinds = ["", ...maps.map(({ id }) => id)];
  useKeys({
    factor: trial.factor,
    letters,
    put: look.put,
    hold: look.hold,
    turn: look.turn,
    help: () => setHelp(true),
    panes: () => (mode === "panes" || paired(mode) ? look.setCount(2) : change({ mode: "panes" })),
    compare: look.compare,
    swap: look.swap,
    back: look.back,
    pin: () => look.pin(look.panes[look.focus]),
    more: {
      s: () => change({ smooth: useViewport.getState().smooth ? "no" : "yes" }),
      l: () => change({ lift: String(liftAfter(useViewport.getState().lift)) }),
      m: () => draw(visible(useViewport.getState())),
      n: mark,
      k: () => setMarked(!marked),
      c: save,
      u: () => setLoupe(!loupe),
      a: () => setFlipping(!flipping),
      z: flipFinalists,
      e: () => change({ side: side === "none" ? "entries" : "none" }),
      y: () => change({ map: kinds[(kinds.indexOf(mapped?.fault ?? "") + 1) % kinds.length] ?? "" }),
      v: () => map && go(map.worst),
      escape: () => (marking ? setMarking(false) : take(null)),
    },
  });
  const seen = look.panes.flatMap((id) => choices.find((choice) => choice.id === id)?.picture ?? []);
  useDriver(mode === "panes" || paired(mode) ? seen : NOTHING);
  const axis = look.params.get("along") === "column" ? "column" : "row";
  const slice = useSlice(axis);
  const truth = choices.find(({ id }) => id === "truth")?.picture ?? null;
  const marksOf = ({ id }: Choice): Mark[] => [
    ...(marked ? spots.map((spot) => ({ ...spot, key: spot.id })) : []),
    ...remarks
      .filter((remark) => marked && remark.letter === id)
      .map((remark) => ({ ...remark, key: remark.id, name: remark.defect })),
    ...(taken && !taken.spot ? [{ key: "taken", name: "this part", ...taken.part }] : []),
  ];
  const kind = maps.find(({ id }) => id === mapped?.fault);
  const pair = paired(mode) ? mode : null;
  return (
    <div
      className="viewing flex h-full min-h-0 flex-col bg-room-raised text-lamp"
      style={{ ["--surround" as string]: SURROUNDS[surround] }}
    >
      <title>{`Look at ${trial.name} – Mistline`}</title>
      <h2 ref={arrived} tabIndex={-1} className="sr-only">
        Look
      </h2>
      <Toolbar
        trial={trial}
        mode={mode}
        count={look.panes.length}
        most={Math.min(MOST_PANES, choices.length)}
        maps={maps}
        fault={mapped?.fault ?? null}
        change={change}
        setCount={look.setCount}
        compare={look.compare}
        switches={[
          { name: "Loupe", hint: "Key U", on: loupe, act: () => setLoupe(!loupe) },
          {
            name: "Mark",
            hint: "Key N: drag over a part of a picture, or press on a point",
            on: marking,
            act: mark,
          },
          {
            name: "Surround",
            hint: "Darker or lighter",
            act: () => change({ surround: String((surround + 1) % SURROUNDS.length) }),
          },
          { name: "Save", hint: "Key C: what is shown as a PNG with a caption", act: save },
          { name: "Keys ?", hint: "All keys of this page", act: () => setHelp(true) },
        ]}
      />
      <div className="flex min-h-0 flex-1">
        <div ref={shownArea} className="flex min-h-0 min-w-0 flex-1 flex-col bg-room-raised">
          {marking && (
            <p role="status" className="bg-lamp px-3 py-0.5 text-note text-room-deep">
              Drag over a part of a picture, or press on a point. Escape stops it.
            </p>
          )}
          {mode === "wall" && (
            <Wall
              trial={trial}
              choices={choices}
              spots={spots}
              by={look.params.get("by")}
              hand={(look.params.get("order") ?? "").split(",")}
              change={change}
              go={(spot, id) => {
                go(spot);
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
                  marks={marksOf(choice)}
                  onDraw={marking ? draw : null}
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
                marks={marksOf(active)}
                onDraw={marking ? draw : null}
              />
            </div>
          )}
          {kind && mapped && mode === "panes" && (
            <MapBar kind={kind} mapped={mapped} active={active} map={map} change={change} go={go} />
          )}
          {taken && (
            <Strip
              trial={trial}
              part={taken.part}
              spot={taken.spot}
              active={active}
              made={(spot) => take({ part: spot, spot })}
              close={() => take(null)}
            />
          )}
        </div>
        <Side
          trial={trial}
          choices={choices}
          look={look}
          side={side}
          spots={spots}
          remarks={remarks}
          finalists={finalists.length === 2 ? flipFinalists : null}
          flipping={flipping}
          flip={() => setFlipping(!flipping)}
          pace={pace}
          setPace={setPace}
          goToPart={goAndTake}
          goToRemark={(remark) => {
            if (!look.panes.includes(remark.letter)) look.put(remark.letter);
            go(remark);
          }}
          mark={mark}
        />
      </div>
      {mode === "time" && (
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
              ? `Row ${slice.at} of every frame, time going down`
              : `Column ${slice.at} of every frame, time going right`}
          </p>
        </div>
      )}
      {trial.frames > 1 && <Moments trial={trial} />}
      <KeyList open={help} close={() => setHelp(false)} />
    </div>
  );
}
