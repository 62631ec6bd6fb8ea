import { useCallback, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Picture } from "../../api/client";
import type { DifferenceLook, DifferenceOf, Scene } from "../../viewer/scene";
import { dividerAt, MOST_COLOUR } from "../../viewer/scene";
import { useViewport, zoomOf, type Region } from "../../viewer/viewport";
import { CHIP, FIELD } from "./chip";
import { Marks, type Mark } from "./Marks";
import { Caption } from "./Caption";
import { Pixels } from "./Slot";
import type { Choice, Pair, Look } from "./useLook";

const GAINS = [1, 2, 4, 8, 16, 32];
const STEP = 0.02;
const OF: [DifferenceOf, string][] = [
  ["luma", "luma"],
  ["channels", "each channel"],
  ["red", "red"],
  ["green", "green"],
  ["blue", "blue"],
  ["colour", "colour, ΔE00"],
];
const UNSIGNED: DifferenceOf[] = ["channels", "colour"];

/** How a wipe or a difference is shown; kept in the address. */
function useHow(params: URLSearchParams, change: (values: Record<string, string>) => void) {
  const share = Number(params.get("divider") ?? 0.5);
  const gain = Number(params.get("gain") ?? 4);
  return {
    upright: params.get("divide") !== "level",
    kept: Number.isFinite(share) ? Math.min(1, Math.max(0, share)) : 0.5,
    look: {
      of: OF.find(([id]) => id === params.get("of"))?.[0] ?? "luma",
      signed: params.get("sign") !== "none",
      gain: GAINS.includes(gain) ? gain : 4,
    } as DifferenceLook,
    setOf: (of: string) => change({ of }),
    setUpright: (upright: boolean) => change({ divide: upright ? "upright" : "level" }),
    setSigned: (signed: boolean) => change({ sign: signed ? "kept" : "none" }),
    setGain: (next: number) => change({ gain: String(next) }),
    keep: (next: number) => change({ divider: next.toFixed(4) }),
  };
}

interface DividerProps {
  upright: boolean;
  share: number;
  move: (share: number) => void;
  keep: (share: number) => void;
}

/** The divider over the picture: dragged, or moved by arrow keys. */
function Divider({ upright, share, move, keep }: DividerProps) {
  const view = useViewport();
  const { at, column } = dividerAt(view, upright, share);
  const length = upright ? view.pane.width : view.pane.height;
  const dragging = useRef(false);
  const shareOf = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.parentElement?.getBoundingClientRect();
    if (!box) return share;
    const place = upright ? (event.clientX - box.left) / box.width : (event.clientY - box.top) / box.height;
    return Math.min(1, Math.max(0, place));
  };
  const key = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -STEP, ArrowUp: -STEP, ArrowRight: STEP, ArrowDown: STEP }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    keep(Math.min(1, Math.max(0, share + by)));
  };
  const place = `${(100 * at) / Math.max(1, length)}%`;
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label="Divider"
      aria-orientation={upright ? "horizontal" : "vertical"}
      aria-valuemin={0}
      aria-valuemax={upright ? view.extent.width : view.extent.height}
      aria-valuenow={column}
      aria-valuetext={`${upright ? "column" : "row"} ${column}`}
      data-at={at}
      onKeyDown={key}
      onPointerDown={(event) => {
        dragging.current = true;
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => dragging.current && move(shareOf(event))}
      onPointerUp={(event) => {
        dragging.current = false;
        keep(shareOf(event));
      }}
      className={`absolute touch-none ${upright ? "inset-y-0 w-5 -translate-x-1/2 cursor-ew-resize" : "inset-x-0 h-5 -translate-y-1/2 cursor-ns-resize"}`}
      style={upright ? { left: place } : { top: place }}
    >
      <span
        className={`absolute bg-lamp outline outline-room-deep ${upright ? "inset-y-0 left-1/2 w-px" : "inset-x-0 top-1/2 h-px"}`}
      />
      <span className="absolute top-1/2 left-1/2 size-4 -translate-1/2 rotate-45 border border-room-deep bg-lamp" />
    </div>
  );
}

/** What the greys of a difference stand for. */
function Legend({ look, exact, sides }: { look: DifferenceLook; exact: boolean; sides: [Choice, Choice] }) {
  const signed = look.signed && !UNSIGNED.includes(look.of);
  const colour = look.of === "colour";
  const most = Number(((colour ? MOST_COLOUR : signed ? 128 : 255) / look.gain).toPrecision(3));
  const what = OF.find(([id]) => id === look.of)?.[1];
  return (
    <p className="flex items-center gap-2 text-note text-lamp" data-testid="difference-scale">
      {signed ? `−${most}` : "0"}
      <span
        aria-hidden
        className="h-3 w-32 outline outline-room-line"
        style={{ background: "linear-gradient(to right, #000, #fff)" }}
      />
      {signed
        ? `+${most} cv, ${what}; bright where ${sides[1].plate} is brighter than ${sides[0].plate}`
        : `${most} ${colour ? "ΔE00" : `cv, ${what}`}`}
      {!exact && <span className="text-lamp-soft">of shrunk pictures: exact from 100 % on</span>}
    </p>
  );
}

interface Props {
  look: Look;
  mode: Pair;
  sides: [Choice, Choice];
  extent: { width: number };
  truth: Picture | null;
  marks: Mark[];
  onDraw: ((part: Region) => void) | null;
}

/** Two pictures in one pane: beside a movable divider, or how they differ. */
export function Compared({ look, mode, sides, extent, truth, marks, onDraw }: Props) {
  const how = useHow(look.params, look.change);
  const [dragged, drag] = useState<number | null>(null);
  const share = dragged ?? how.kept;
  const [first, second] = [sides[0].picture, sides[1].picture];
  const { upright } = how;
  const { of, signed, gain } = how.look;
  const scene = useMemo<Scene | null>(() => {
    if (!first || !second) return null;
    if (mode === "wipe") return { kind: mode, pictures: [first, second], upright, share };
    return { kind: mode, pictures: [first, second], look: { of, signed, gain } };
  }, [first, second, mode, upright, share, of, signed, gain]);
  const exact = useViewport((view) => zoomOf(view) >= 1);
  const keep = useCallback(
    (next: number) => {
      drag(null);
      how.keep(next);
    },
    [how],
  );
  const label =
    mode === "wipe" ? `${sides[0].name} beside ${sides[1].name}` : `${sides[1].name} less ${sides[0].name}`;
  return (
    <section aria-label={label} className="relative flex min-h-0 min-w-0 flex-col">
      <div className="flex gap-0.5">
        {sides.map((choice, side) => (
          <div
            key={side}
            data-active={side === look.focus || undefined}
            onPointerDown={() => look.setFocus(side)}
            className={`flex min-w-0 flex-1 ${side === look.focus ? "outline-2 -outline-offset-2 outline-lamp" : ""}`}
          >
            <Caption choice={choice} extent={extent} truth={truth} liftable={mode === "wipe"} />
          </div>
        ))}
      </div>
      <div className="relative min-h-0 flex-1 overflow-hidden">
        <Pixels scene={scene} choices={sides} label={label} />
        {scene && <Marks marks={marks} onDraw={onDraw} />}
        {mode === "wipe" && scene && <Divider upright={upright} share={share} move={drag} keep={keep} />}
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-2 py-1 text-small">
        {mode === "wipe" ? (
          <button type="button" className={CHIP} onClick={() => how.setUpright(!upright)}>
            {upright ? "Divide level" : "Divide upright"}
          </button>
        ) : (
          <>
            <select
              aria-label="Difference in"
              value={of}
              onChange={(event) => how.setOf(event.target.value)}
              className={FIELD}
            >
              {OF.map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </select>
            {!UNSIGNED.includes(of) && (
              <button
                type="button"
                className={CHIP}
                aria-pressed={signed}
                onClick={() => how.setSigned(!signed)}
              >
                With sign
              </button>
            )}
            <label className="flex items-center gap-1.5">
              Gain
              <select
                value={gain}
                onChange={(event) => how.setGain(Number(event.target.value))}
                className={FIELD}
              >
                {GAINS.map((value) => (
                  <option key={value} value={value}>
                    {value}×
                  </option>
                ))}
              </select>
            </label>
            <Legend look={how.look} exact={exact} sides={sides} />
          </>
        )}
        <button type="button" className={CHIP} onClick={look.swap} title="Key X">
          Swap sides
        </button>
      </div>
    </section>
  );
}
