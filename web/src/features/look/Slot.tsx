import { useMemo, useRef, useState, type PointerEvent } from "react";
import type { Entry, Picture, Trial } from "../../api/client";
import { usePixel } from "../../api/marks";
import { useTakeAction } from "../../api/queries";
import { useResting } from "../../ui/useResting";
import { Cell } from "../../viewer/Cell";
import { Pane } from "../../viewer/Pane";
import { keyOf, type Scene } from "../../viewer/scene";
import { usePlace } from "../../viewer/pointer";
import { usePlayer } from "../../viewer/player";
import { frameAtPlace, type Slice } from "../../viewer/slice";
import { useViewport, zoomOf, type Region } from "../../viewer/viewport";
import { CHIP } from "./chip";
import { wayBack, Caption, misplaced } from "./Caption";
import { useHeat, type Mapped } from "./MapBar";
import { Marks, type Mark } from "./Marks";
import { DRAGGED } from "./Tray";
import type { Choice } from "./useLook";

/** Why there are no pixels yet, and the way to have them where something went wrong. */
function NotHere({ words, entry }: { words: string; entry: Entry | null }) {
  const act = useTakeAction();
  const over = entry !== null && !entry.stated && ["failed", "cancelled"].includes(entry.state);
  return (
    <div
      role="status"
      className="absolute inset-x-4 top-1/2 mx-auto w-fit -translate-y-1/2 rounded-sm bg-room-deep px-3 py-1 text-center text-lamp"
    >
      {words}
      {entry?.error && <p className="max-w-prose text-small text-lamp-soft">{entry.error}</p>}
      {over && (
        <button
          type="button"
          className={`${CHIP} mt-1 border border-room-line`}
          disabled={act.isPending}
          onClick={() => act.mutate({ retry: entry.take_key })}
        >
          Run again
        </button>
      )}
    </div>
  );
}

/** Pixels of a scene, or the surround while there are none; a word on what is waited for. */
export function Pixels({ scene, choices, label }: { scene: Scene | null; choices: Choice[]; label: string }) {
  const [shown, setShown] = useState<string | null>(null);
  const missing = choices.find((choice) => choice.waiting);
  const state = missing?.waiting ?? (scene && shown !== keyOf(scene) ? "loading" : null);
  return (
    <>
      {scene ? (
        <Pane scene={scene} label={label} onShown={setShown} />
      ) : (
        <div className="size-full bg-[var(--surround)]" />
      )}
      {state && <NotHere words={state} entry={missing?.entry ?? null} />}
    </>
  );
}

/** Light beside dark, so that it is seen on every surround and every picture. */
const ACTIVE =
  "after:pointer-events-none after:absolute after:inset-0 after:z-[1] after:border-2 after:border-lamp after:outline-2 after:-outline-offset-4 after:outline-room-deep";

const STILL = 4; // pixels that a press may move and be no drag

/** A press on a slice, not a drag, goes to the frame there. */
function useSeeking(choice: Choice, slice: Slice | null | undefined) {
  const from = useRef<{ x: number; y: number } | null>(null);
  const seek = usePlayer((player) => player.seek);
  if (!slice) return {};
  return {
    onPointerDownCapture: (event: PointerEvent) => {
      from.current = { x: event.clientX, y: event.clientY };
    },
    onPointerUpCapture: (event: PointerEvent<HTMLElement>) => {
      const [begun, frames] = [from.current, choice.picture?.frames];
      if (!begun || !frames || Math.hypot(event.clientX - begun.x, event.clientY - begun.y) > STILL) return;
      const box = event.currentTarget.getBoundingClientRect();
      const place = slice.axis === "row" ? event.clientY - box.top : event.clientX - box.left;
      seek(frameAtPlace(useViewport.getState(), slice.axis, frames, place * window.devicePixelRatio));
    },
  };
}

/** The pixels around the pointer, eight times or more, in every pane at once; at rest with their exact values. */
function Loupe({ choice, trial }: { choice: Choice; trial: Trial }) {
  const place = usePlace((pointer) => pointer.place);
  const zoom = useViewport((view) => Math.max(8, 4 * zoomOf(view)));
  const frame = useViewport((view) => view.frame);
  const [x, y] = [place?.x, place?.y];
  const resting = useResting(
    useMemo(
      () => (x === undefined || y === undefined ? null : { left: x, top: y, width: 1, height: 1, frame }),
      [x, y, frame],
    ),
  );
  const done = trial.entries.filter(({ state }) => state === "done").length;
  const found = usePixel(trial.id, resting, done).data?.[choice.id];
  if (!place || !choice.picture) return null;
  return (
    <div
      data-testid="loupe"
      className="pointer-events-none absolute right-2 bottom-2 w-36 bg-room text-fine tabular-nums outline-2 outline-lamp"
    >
      <div className="relative size-36">
        <Cell
          picture={choice.picture}
          extent={trial.plan.target}
          x={place.x + 0.5}
          y={place.y + 0.5}
          zoom={zoom}
          frame={frame}
          label={`Loupe, ${choice.name}`}
        />
        <span className="absolute top-1/2 left-1/2 size-2.5 -translate-1/2 outline outline-lamp" />
      </div>
      {found && resting && (
        <p className="px-1.5 py-0.5" data-testid="loupe-values" title="ΔE00: how far from the truth">
          {found.codes.join(" ")}
          <br />
          <span className="text-lamp-soft">
            {found.bits}-bit
            {choice.id !== "truth" && found.from_truth != null && `, ΔE00 ${found.from_truth.toFixed(2)}`}
          </span>
          <br />
          L*a*b* {found.lab.map((value) => value.toFixed(1)).join(" ")}
        </p>
      )}
    </div>
  );
}

interface SlotProps {
  choice: Choice;
  trial: Trial;
  truth: Picture | null;
  marks: Mark[];
  /** Told what was drawn, while a part is being marked. */
  onDraw: ((part: Region) => void) | null;
  mapped: Mapped | null;
  loupe: boolean;
  pinned: boolean;
  onPin: () => void;
  /** Shown where it belongs, if it is known to lie off its place. */
  placed: boolean;
  onPlace: () => void;
  /** An entry was dragged here from the tray. */
  onDrop: (id: string) => void;
  active: boolean;
  onActivate: () => void;
  /** A row or column over time instead of the picture. */
  slice?: Slice | null;
}

/** A pane with one picture. */
export function Slot(props: SlotProps) {
  const { choice, trial, truth, active, onActivate, slice, marks, onDraw, mapped, loupe, onDrop } = props;
  const { pinned, onPin, placed, onPlace } = props;
  const { picture } = choice;
  const { heat, told } = useHeat(trial, choice, slice ? null : mapped);
  const [over, setOver] = useState(false);
  const [axis, at] = [slice?.axis, slice?.at];
  const off = placed ? misplaced(choice) : null;
  const scene = useMemo<Scene | null>(() => {
    if (!picture) return null;
    if (axis === undefined || at === undefined)
      return { kind: "one", pictures: [picture], ...(heat && { heat }), ...(off && { shift: wayBack(off) }) };
    return { kind: "slice", pictures: [picture], slice: { axis, at } };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [picture, axis, at, heat?.url, heat?.alone, heat?.opacity, off?.right, off?.down]);
  return (
    <section
      aria-label={choice.name}
      data-active={active || undefined}
      onPointerDown={onActivate}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        setOver(false);
        onDrop(event.dataTransfer.getData(DRAGGED));
      }}
      className={`relative flex min-h-0 min-w-0 flex-col ${over ? "outline-4 -outline-offset-4 outline-lamp outline-dashed" : active ? ACTIVE : ""}`}
    >
      <div className="flex">
        <Caption
          choice={choice}
          extent={trial.plan.target}
          truth={truth}
          doing={{ pinned, pin: onPin, placed, place: onPlace }}
        />
      </div>
      <div className="relative min-h-0 flex-1" {...useSeeking(choice, slice)}>
        <Pixels scene={scene} choices={[choice]} label={choice.name} />
        {scene && !slice && <Marks marks={marks} onDraw={onDraw} />}
        {loupe && <Loupe choice={choice} trial={trial} />}
        {told && (
          <p role="status" className="absolute top-2 left-2 rounded-sm bg-room-deep px-2 py-0.5 text-note">
            {told}
          </p>
        )}
      </div>
    </section>
  );
}
