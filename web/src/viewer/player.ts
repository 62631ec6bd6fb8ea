import { useEffect } from "react";
import { create } from "zustand";
import type { Picture } from "../api/client";
import { bytesOf, here, ready } from "./paint";
import { followTiles, ROOM_BYTES } from "./tiles";
import { useViewport, type Viewport } from "./viewport";

/**
 * The moment that all panes show. `wanted` is what was asked for; the viewport's own frame follows once every pane has
 * all its pixels, so that panes never show different moments.
 */
interface Player {
  frames: number;
  rate: number;
  wanted: number;
  /** The loop that is played: its first frame and the one after its last. */
  from: number;
  to: number;
  playing: boolean;
  speed: number;
  /** How many frames of the loop are played, all of them if they fit in memory, and how many of these are here. */
  length: number;
  loaded: number;
  /** Frames a second that were shown of late while playing. */
  reached: number | null;
}

interface Actions {
  open: (frames: number, rate: number, wanted: number) => void;
  seek: (frame: number) => void;
  step: (by: number) => void;
  markIn: () => void;
  markOut: () => void;
  toggle: () => void;
  setSpeed: (speed: number) => void;
}

export const SPEEDS = [1, 0.5, 0.25];
const AHEAD = 3;
const NEIGHBOURS = 2;

const clamp = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));

export const usePlayer = create<Player & Actions>((set) => ({
  frames: 1,
  rate: 25,
  wanted: 0,
  from: 0,
  to: 1,
  playing: false,
  speed: 1,
  length: 0,
  loaded: 0,
  reached: null,
  open: (frames, rate, wanted) =>
    set({
      frames,
      rate,
      wanted: clamp(wanted, 0, frames - 1),
      from: 0,
      to: frames,
      playing: false,
      length: 0,
      loaded: 0,
      reached: null,
    }),
  seek: (frame) => set(({ frames }) => ({ wanted: clamp(Math.round(frame), 0, frames - 1), playing: false })),
  step: (by) => set(({ frames, wanted }) => ({ wanted: (wanted + by + frames) % frames, playing: false })),
  markIn: () => set(({ wanted, to, frames }) => ({ from: wanted, to: to > wanted ? to : frames })),
  markOut: () => set(({ wanted, from }) => ({ to: wanted + 1, from: from <= wanted ? from : 0 })),
  toggle: () => set(({ playing, frames }) => ({ playing: !playing && frames > 1, reached: null })),
  setSpeed: (speed) => set({ speed }),
}));

/** The frame of a loop to show so long after its start: floor, with half a refresh against running late. */
export function frameAt(
  elapsed: number,
  refresh: number,
  rate: number,
  from: number,
  length: number,
): number {
  return from + (Math.floor((elapsed + refresh / 2) * rate) % length);
}

/** How many frames of the pictures fit in the memory that is kept for tiles. */
function fitting(pictures: Picture[], view: Viewport): number {
  const each = pictures.reduce((sum, picture) => sum + bytesOf(picture, view), 0);
  return Math.max(1, Math.floor((0.8 * ROOM_BYTES) / Math.max(1, each)));
}

/** Fetch what stepping or playing needs next, and show the wanted frame once all of it is here. */
function feed(pictures: Picture[]) {
  const { playing, wanted, frames, from, to, length, loaded } = usePlayer.getState();
  const shared = useViewport.getState();
  const all = (frame: number, test: typeof ready) =>
    pictures.map((picture) => test(picture, { ...shared, frame })).every(Boolean);
  const fetchFirst = (wish: number[]) => wish.slice(0, AHEAD).forEach((frame) => all(frame, ready));
  if (!playing) {
    if (wanted !== shared.frame && all(wanted, ready)) shared.showFrame(wanted);
    const near = span(wanted - NEIGHBOURS, 2 * NEIGHBOURS + 1);
    fetchFirst(near.filter((frame) => frame >= 0 && frame < frames && !all(frame, here)));
    return;
  }
  // What does not fit is not played: fetching it would push out what was fetched before, for ever.
  const fits = Math.min(to - from, fitting(pictures, shared));
  const missing = span(from, fits).filter((frame) => !all(frame, here));
  fetchFirst(missing);
  if (fits !== length || fits - missing.length !== loaded)
    usePlayer.setState({ length: fits, loaded: fits - missing.length });
}

const span = (first: number, length: number) => Array.from({ length }, (_, place) => first + place);

/** Drive the panes through the frames of these pictures. */
export function useDriver(pictures: Picture[]) {
  const ids = pictures.map((picture) => picture.id).join();
  useEffect(() => {
    const go = () => feed(pictures);
    go();
    const stops = [
      usePlayer.subscribe(go),
      followTiles(go),
      useViewport.subscribe((view, before) => {
        const flipped = view.frame !== before.frame;
        if (!flipped || !usePlayer.getState().playing) go(); // what plays is here already
      }),
    ];
    return () => stops.forEach((stop) => stop());
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ids]);
  const playing = usePlayer((player) => player.playing);
  useEffect(() => {
    if (!playing) return;
    let handle = 0;
    let begun: number | null = null;
    let last = 0;
    let shown = 0;
    let counted = 0;
    const tick = (now: number) => {
      handle = requestAnimationFrame(tick);
      const { from, length, loaded, rate, speed } = usePlayer.getState();
      const view = useViewport.getState();
      const refresh = last ? now - last : 16;
      last = now;
      if (length === 0 || loaded < length) {
        begun = null;
        return;
      }
      if (begun === null) {
        begun = counted = now;
        shown = 0;
      }
      const frame = frameAt((now - begun) / 1000, Math.min(refresh, 40) / 1000, rate * speed, from, length);
      if (frame !== view.frame) {
        view.showFrame(frame);
        shown += 1;
      }
      if (now - counted > 1000) {
        usePlayer.setState({ reached: (1000 * shown) / (now - counted) });
        counted = now;
        shown = 0;
      }
    };
    handle = requestAnimationFrame(tick);
    return () => {
      cancelAnimationFrame(handle);
      usePlayer.setState({ wanted: useViewport.getState().frame });
    };
  }, [playing]);
}
