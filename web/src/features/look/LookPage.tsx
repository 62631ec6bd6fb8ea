import { useEffect, useMemo, useRef, useState } from "react";
import type { Picture, Trial } from "../../api/client";
import { useMapKinds, useRemarks, useSpots } from "../../api/marks";
import { useArrival } from "../../ui/parts";
import { useDriver } from "../../viewer/player";
import { giveBack } from "../../viewer/tiles";
import { SURROUNDS, useViewport, visible } from "../../viewer/viewport";
import { KeyList } from "./KeyList";
import { readMapped, useFaultMap } from "./MapBar";
import { Moments } from "./Moments";
import { captionOf, download, pictureOf } from "./savePicture";
import { Side } from "./Side";
import { Stage } from "./Stage";
import { liftAfter, Toolbar } from "./Toolbar";
import { useFlipping } from "./useFlipping";
import { useKeys } from "./useKeys";
import { choicesOf, paired, useLook, type Choice } from "./useLook";
import { useParts } from "./useParts";

const MOST_PANES = 6;
const NOTHING: Picture[] = [];

/** Several results at the same place: one viewport, panes, flip in place, a divider, a difference, a wall of spots. */
export function LookPage({ trial }: { trial: Trial }) {
  const choices = useMemo(() => choicesOf(trial), [trial]);
  const look = useLook(trial, choices);
  const { change, mode } = look;
  const surround = useViewport((view) => view.surround);
  const [help, setHelp] = useState(false);
  const [loupe, setLoupe] = useState(false);
  const shownArea = useRef<HTMLDivElement>(null);
  const spots = useSpots(trial.id).data ?? [];
  const remarks = useRemarks(trial.id).data ?? [];
  const maps = useMapKinds(trial.has_truth).data ?? [];
  const mapped = readMapped(look.params, maps);
  const parts = useParts(trial, look, spots, remarks);
  const letters = choices.map((choice) => choice.id).filter((id) => id.length === 1);
  const choiceOf = (id: string) => choices.find((choice) => choice.id === id) as Choice;
  const shown = look.panes.map((id, index) => choiceOf(index === look.focus && look.held ? look.held : id));
  const active = choiceOf(look.panes[look.focus] ?? look.anchor);
  const { map } = useFaultMap(trial, active, mapped);
  const side = look.params.get("side") ?? (mode === "wall" ? "none" : "entries");
  const inRace = trial.entries.filter(({ control, standing }) => !control && standing !== "retired");
  const racing = inRace.map(({ letter }) => letter).join("");
  const flipping = useFlipping(racing, look.put, look.panes[look.focus], mode === "panes");
  const finalists = trial.entries.filter(({ standing }) => standing === "finalist");

  const flipFinalists = () => {
    const [first, second] = finalists;
    if (!first || !second) return;
    look.flip(first.letter, second.letter);
    if (spots[0]) parts.go(spots[0]);
  };
  const save = () => {
    if (!shownArea.current) return;
    const words = captionOf(trial, mode, parts.taken?.spot?.name);
    void pictureOf(shownArea.current, words).then((file) => file && download(file, `${trial.name}.png`));
  };
  useEffect(() => giveBack, []);
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
      m: () => parts.draw(visible(useViewport.getState())),
      n: parts.mark,
      k: parts.showOrHide,
      c: save,
      u: () => setLoupe(!loupe),
      a: flipping.turn,
      z: flipFinalists,
      e: () => change({ side: side === "none" ? "entries" : "none" }),
      y: () => change({ map: kinds[(kinds.indexOf(mapped?.fault ?? "") + 1) % kinds.length] ?? "" }),
      v: () => map && parts.go(map.worst),
      escape: parts.escape,
    },
  });
  const seen = look.panes.flatMap((id) => choices.find((choice) => choice.id === id)?.picture ?? []);
  useDriver(mode === "panes" || paired(mode) ? seen : NOTHING);
  const kind = maps.find(({ id }) => id === mapped?.fault);
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
            on: parts.marking,
            act: parts.mark,
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
          {parts.marking && (
            <p role="status" className="bg-lamp px-3 py-0.5 text-note text-room-deep">
              Drag over a part of a picture, or press on a point. Escape stops it.
            </p>
          )}
          <Stage
            trial={trial}
            choices={choices}
            shown={shown}
            active={active}
            look={look}
            parts={parts}
            spots={spots}
            mapped={mapped}
            kind={kind}
            map={map}
            loupe={loupe}
          />
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
          goToPart={parts.goAndTake}
          goToRemark={(remark) => {
            if (!look.panes.includes(remark.letter)) look.put(remark.letter);
            parts.go(remark);
          }}
          mark={parts.mark}
        />
      </div>
      {trial.frames > 1 && <Moments trial={trial} />}
      <KeyList open={help} close={() => setHelp(false)} />
    </div>
  );
}
