import { useEffect, useRef, useState } from "react";
import type { Entry, Picture, Trial } from "../../api/client";
import { rateOf } from "../../ui/format";
import { ready } from "../../viewer/paint";
import { usePlayer } from "../../viewer/player";
import { middleOf, type Slice } from "../../viewer/slice";
import { followTiles } from "../../viewer/tiles";
import { useViewport } from "../../viewer/viewport";
import { remember, useAddress } from "./address";

/** Something a pane can show: an entry by its letter, or "truth" or "input". */
export interface Choice {
  id: string;
  plate: string;
  name: string;
  detail: string;
  picture: Picture | null;
  waiting: string | null;
  /** None for truth and input. */
  entry: Entry | null;
}

export const DEFAULTS = "all settings at their defaults";
const STATES: Record<string, string> = { waiting: "waiting", failed: "failed", cancelled: "cancelled" };

/** All that can be looked at: truth, input and entries. */
export function choicesOf(trial: Trial): Choice[] {
  const made = trial.entries.filter((entry) => entry.control !== "truth");
  const pictureOf = (id: string | null) => trial.pictures.find((picture) => picture.id === id) ?? null;
  const plain = (
    id: string,
    plate: string,
    name: string,
    detail: string,
    picture: string | null,
  ): Choice => ({
    id,
    plate,
    name,
    detail,
    picture: pictureOf(picture),
    waiting: picture ? null : "not made yet",
    entry: null,
  });
  const { input: size, target } = trial.plan;
  const truth = plain("truth", "Truth", "Truth", `${target.width} × ${target.height}`, trial.truth_picture);
  return [
    ...(trial.has_truth ? [truth] : []),
    plain(
      "input",
      "Input",
      size.width === target.width ? "Input" : "Input, enlarged",
      `${size.width} × ${size.height}`,
      trial.input_picture,
    ),
    ...made.map((entry) => ({
      id: entry.letter,
      plate: entry.letter,
      name: entry.name,
      detail:
        entry.passes
          .flatMap((pass) =>
            Object.entries(pass.changed).map(([key, value]) => `${pass.name} ${key} ${String(value)}`),
          )
          .join(", ") || DEFAULTS,
      picture: pictureOf(entry.picture_id),
      entry,
      waiting:
        entry.state === "running"
          ? `running ${Math.round(entry.progress * 100)} %`
          : (STATES[entry.state] ?? null),
    })),
  ];
}

/** A list of the address without an id that is in it, or with one that is not. */
const toggled = (ids: string[], id: string) =>
  (ids.includes(id) ? ids.filter((one) => one !== id) : [...ids, id]).join(",");

/** What each pane shows and which has the focus; kept in the address with the place and the zoom. */
export function useLook(trial: Trial, choices: Choice[]) {
  const [params, change] = useAddress(trial.id);
  const [held, hold] = useState<string | null>(null);
  const letters = choices.map((choice) => choice.id);
  const moving = trial.frames > 1;
  const { mode, panes, focus, pinned, placed, anchor } = readAddress(params, letters, moving);
  // Keys come faster than renderings: what they act on is read from the address as it is now.
  const now = () => readAddress(new URLSearchParams(window.location.search), letters, moving);
  const setPanes = (next: string[], focused: number) =>
    change({ panes: next.join(","), focus: String(Math.min(focused, next.length - 1)) });
  const before = useRef<string | null>(null);
  /** Into the active pane; what is pinned there stays, and the next pane that is not pinned takes it. */
  const put = (id: string) => {
    const at = now();
    const turns = at.panes.map((_, step) => (at.focus + step) % at.panes.length);
    const place = turns.find((index) => !at.pinned.includes(at.panes[index] ?? ""));
    if (place === undefined) return;
    if (at.panes[place] !== id) before.current = at.panes[place] ?? null;
    setPanes(at.panes.with(place, id), place);
  };
  const putAt = (id: string, index: number) => {
    const { panes, pinned } = now();
    if (letters.includes(id) && index < panes.length && !pinned.includes(panes[index] ?? ""))
      setPanes(panes.with(index, id), index);
  };
  /** Pin what a pane shows, so that nothing takes its place there; or let it go. */
  const pin = (id: string | undefined) => {
    if (id) change({ pin: toggled(now().pinned, id) });
  };
  /** Show an entry that lies off its place where it belongs, by what was measured; or as it is. */
  const place = (id: string) => change({ placed: toggled(now().placed, id) });
  /** What stood in the active pane before comes back; once more, and it is as it was. */
  const back = () => before.current && put(before.current);
  const setCount = (count: number) => {
    const at = now();
    const spare = letters.filter((id) => !at.panes.includes(id));
    const loose = at.panes.filter((id) => !at.pinned.includes(id));
    const room = Math.max(0, count - (at.panes.length - loose.length));
    const staying = at.panes.filter((id) => at.pinned.includes(id) || loose.indexOf(id) < room);
    const kept = count === 1 ? [at.panes[at.focus] ?? anchor] : staying.slice(0, count);
    const panes = [...kept, ...spare].slice(0, count);
    const focused = Math.min(count === 1 ? 0 : at.focus, panes.length - 1);
    change({ mode: at.mode === "time" ? "time" : "panes", panes: panes.join(","), focus: String(focused) });
  };
  const setFocus = (at: number) => change({ focus: String(at) });
  const turn = (step: number) => {
    const at = now();
    setFocus((at.focus + step + at.panes.length) % at.panes.length);
  };
  /** Another mode; for two pictures the active one against the anchor, or against what stood beside it before. */
  const compare = (mode: Mode) => {
    const at = now();
    if (at.mode === mode || (mode === "time" && !moving)) return;
    if (!paired(mode) || paired(at.mode)) return change({ mode });
    const second = at.panes[at.focus] ?? anchor;
    const first = [anchor, ...at.panes, ...letters].find((id) => id !== second) ?? anchor;
    change({ mode, panes: `${first},${second}`, focus: "1" });
  };
  /** Two pictures one after the other in one pane: B goes back and forth. */
  const flip = (first: string, second: string) => {
    before.current = second;
    change({ mode: "panes", panes: first, focus: "0" });
  };
  const swap = () => {
    const at = now();
    setPanes([...at.panes].reverse(), at.panes.length - 1 - at.focus);
  };
  useOpening(trial, params, choices);
  const dress = useViewport((view) => view.dress);
  const smooth = params.get("smooth") === "yes";
  const [lift, surround] = [Number(params.get("lift")), Number(params.get("surround") ?? NaN)];
  useEffect(() => dress({ smooth, lift, surround }), [dress, smooth, lift, surround]);
  usePlaceInAddress(trial.id, change);
  usePreload(mode === "wall" ? NONE : choices);
  return {
    panes,
    focus,
    mode,
    anchor,
    held,
    hold: (id: string | null) => hold(id !== null && letters.includes(id) ? id : null),
    put,
    putAt,
    pin,
    pinned,
    place,
    placed,
    setCount,
    setFocus,
    turn,
    compare,
    swap,
    back,
    flip,
    params,
    change,
  };
}

/** One picture a pane, a row or column of it over all frames, two beside a divider, or how two differ. */
export type Look = ReturnType<typeof useLook>;
export type Pair = "wipe" | "difference";
export type Mode = "panes" | "time" | "wall" | "zooms" | Pair;

const [USUAL_PANES, MOST_PANES] = [4, 6];
const MODES: Mode[] = ["panes", "wipe", "difference", "time", "wall", "zooms"];

/** Modes of two pictures; the others show any number. */
export const paired = (mode: Mode): mode is Pair => mode === "wipe" || mode === "difference";

const SETTLED_MS = 200;
const NONE: Choice[] = [];

/** The row or column over time through the middle of what is seen; follows once the view rests. */
export function useSlice(axis: Slice["axis"]): Slice {
  const [at, put] = useState(() => middleOf(useViewport.getState(), axis));
  useEffect(() => {
    let timer = 0;
    const later = (wait: number) => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => put(middleOf(useViewport.getState(), axis)), wait);
    };
    later(0);
    const stop = useViewport.subscribe(() => later(SETTLED_MS));
    return () => {
      stop();
      window.clearTimeout(timer);
    };
  }, [axis]);
  return { axis, at };
}

/** Panes and focus as an address names them; what it names wrongly becomes the first there is. */
function readAddress(params: URLSearchParams, letters: string[], moving: boolean) {
  // What everything is held against: the truth, or without one the input.
  const anchor = letters[0] ?? "input";
  const asked = (params.get("panes")?.split(",") ?? letters.slice(0, USUAL_PANES)).slice(0, MOST_PANES);
  const named = params.get("mode");
  const mode = MODES.find((one) => one === named && (moving || one !== "time")) ?? "panes";
  const known = asked.map((id) => (letters.includes(id) ? id : anchor));
  const panes = paired(mode) ? [...known, anchor].slice(0, 2) : known;
  const focus = Number(params.get("focus") ?? panes.length - 1) || 0;
  const listed = (key: string) => (params.get(key) ?? "").split(",").filter((id) => letters.includes(id));
  const [pinned, placed] = [listed("pin"), listed("placed")];
  return { anchor, mode, panes, pinned, placed, focus: Math.min(Math.max(0, focus), panes.length - 1) };
}

/** Open the viewport on this trial, at the place in the address if there is one. */
function useOpening(trial: Trial, params: URLSearchParams, choices: Choice[]) {
  const open = useViewport((view) => view.open);
  const begin = usePlayer((player) => player.open);
  const rate = rateOf(choices.find((choice) => choice.picture?.rate)?.picture?.rate);
  useEffect(() => {
    begin(trial.frames, rate, Number(params.get("frame")) || 0);
    useViewport.getState().showFrame(usePlayer.getState().wanted);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [trial.id, trial.frames, rate]);
  const { width, height } = trial.plan.target;
  useEffect(() => {
    const named = (key: string, otherwise: number) => Number(params.get(key) ?? otherwise) || 0;
    const [x, y] = [named("x", width / 2), named("y", height / 2)];
    const place = params.has("z") ? { x, y, zoom: named("z", 0) || null } : undefined;
    open({ width, height }, place);
    // Only on opening: afterwards the viewport leads and the address follows.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [trial.id, width, height]);
}

/** Where the viewport is, as the address names it. */
function placeNow(): Record<string, string> {
  const { x, y, zoom, frame } = useViewport.getState();
  return {
    x: x.toFixed(1),
    y: y.toFixed(1),
    z: String(Number((zoom ?? 0).toFixed(5))),
    ...(usePlayer.getState().frames > 1 && { frame: String(frame) }),
  };
}

function usePlaceInAddress(trial: string, change: (values: Record<string, string>) => void) {
  useEffect(() => {
    let timer = 0;
    const stop = useViewport.subscribe((view, before) => {
      const moved = view.frame !== before.frame && !usePlayer.getState().playing;
      if (view.x === before.x && view.y === before.y && view.zoom === before.zoom && !moved) return;
      window.clearTimeout(timer);
      timer = window.setTimeout(() => {
        timer = 0;
        change(placeNow());
      }, 250);
    });
    return () => {
      stop();
      if (timer) remember(trial, placeNow()); // the page was left while it moved
      window.clearTimeout(timer);
    };
  }, [trial, change]);
}

/** Fetch what the other entries show at this place, so that a flip is instant; the page says how many are here. */
function usePreload(choices: Choice[]) {
  useEffect(() => {
    let timer = 0;
    const later = () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => {
        const view = useViewport.getState();
        const here = choices.filter((choice) => choice.picture && ready(choice.picture, view)).length;
        document.documentElement.dataset.preloaded = String(here);
      }, 120);
    };
    later();
    const stops = [useViewport.subscribe(later), followTiles(later)];
    return () => {
      stops.forEach((stop) => stop());
      window.clearTimeout(timer);
    };
  }, [choices]);
}
