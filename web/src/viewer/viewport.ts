import { create } from "zustand";

/**
 * The one viewport that every pane reads: a centre in truth pixels and a zoom in device pixels per truth
 * pixel; null is fit, reckoned for `pane`, the size in device pixels of the pane that was measured last.
 */
export interface Viewport {
  extent: { width: number; height: number };
  pane: { width: number; height: number };
  x: number;
  y: number;
  zoom: number | null;
  smooth: boolean;
  /** The moment that every pane shows: a frame of the trial's part; a still has frame 0 only. */
  frame: number;
  /** How many times brighter the panes show the pictures; their values stay. */
  lift: number;
  /** Which of the neutral greys surrounds the pictures. */
  surround: number;
}

/** Neutral, so that no colour is judged against another. */
export const SURROUNDS = ["#3a3a3a", "#777777", "#b4b4b4"];
const MIDDLE_GREY = 1;

/** The colour around pictures. */
export const surroundOf = ({ surround }: { surround: number }) => SURROUNDS[surround] ?? "#777777";

export const LIFTS = [1, 2, 4, 8];

interface Actions {
  /** No place was asked for: a picture that is larger than its pane, once that is known, opens at 100 %. */
  opening: boolean;
  open: (extent: Viewport["extent"], place?: { x: number; y: number; zoom: number | null }) => void;
  setPane: (width: number, height: number) => void;
  panBy: (dx: number, dy: number) => void;
  zoomTo: (zoom: number | null) => void;
  /** Zoom about a place that lies so many device pixels off the centre; it stays where it is. */
  zoomAbout: (offX: number, offY: number, ratio: number) => void;
  /** How the pictures are shown, as an address has it: what it names wrongly is as if it named nothing. */
  dress: (look: { smooth: boolean; lift: number; surround: number }) => void;
  showFrame: (frame: number) => void;
  /** Put a part of the truth in the middle, at the zoom that is set; fit is left for 100 %. */
  goTo: (part: Region) => void;
}

const FURTHEST = 1 / 32;
const NEAREST = 32;

/** The zoom at which the whole picture shows; a small one is enlarged by a whole factor, so that its pixels stay even. */
export function fitZoom({ extent, pane }: Pick<Viewport, "extent" | "pane">): number {
  const most = Math.min(pane.width / extent.width, pane.height / extent.height, NEAREST) || 1;
  return most > 1 ? Math.floor(most) : most;
}

export function zoomOf(view: Viewport): number {
  return view.zoom ?? fitZoom(view);
}

/** A rectangle in truth pixels. */
export interface Region {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** The part of the truth that a pane shows, in whole pixels. */
export function visible(view: Viewport): Region {
  const { extent, pane, x, y } = view;
  const zoom = zoomOf(view);
  const span = (centre: number, length: number, limit: number): [number, number] => {
    const low = clamp(Math.floor(centre - length / zoom / 2), 0, limit - 1);
    return [low, clamp(Math.ceil(centre + length / zoom / 2), low + 1, limit) - low];
  };
  const [left, width] = span(x, pane.width, extent.width);
  const [top, height] = span(y, pane.height, extent.height);
  return { left, top, width, height };
}

/** Where a part of the truth lies in a pane, in CSS pixels from its corner. */
export function onPane(view: Viewport, part: Region): Region {
  const zoom = zoomOf(view);
  const scale = window.devicePixelRatio;
  const along = (length: number, centre: number, place: number) =>
    (Math.round(length / 2 - centre * zoom) + place * zoom) / scale;
  return {
    left: along(view.pane.width, view.x, part.left),
    top: along(view.pane.height, view.y, part.top),
    width: (part.width * zoom) / scale,
    height: (part.height * zoom) / scale,
  };
}

const clamp = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));

function inside(view: Viewport, x: number, y: number) {
  return { x: clamp(x, 0, view.extent.width), y: clamp(y, 0, view.extent.height) };
}

export const useViewport = create<Viewport & Actions>((set) => ({
  extent: { width: 1, height: 1 },
  pane: { width: 1, height: 1 },
  x: 0,
  y: 0,
  zoom: null,
  smooth: false,
  frame: 0,
  lift: 1,
  surround: MIDDLE_GREY,
  opening: false,
  open: (extent, place) =>
    set({
      extent,
      opening: !place,
      ...(place ?? { x: extent.width / 2, y: extent.height / 2, zoom: null }),
    }),
  setPane: (width, height) =>
    set(({ extent, opening, zoom }) => {
      const pane = { width, height };
      return { pane, opening: false, zoom: opening && fitZoom({ extent, pane }) < 1 ? 1 : zoom };
    }),
  panBy: (dx, dy) =>
    set((view) => ({
      ...inside(view, view.x - dx / zoomOf(view), view.y - dy / zoomOf(view)),
      zoom: zoomOf(view),
    })),
  zoomTo: (zoom) =>
    set((view) => (zoom === null ? { zoom, x: view.extent.width / 2, y: view.extent.height / 2 } : { zoom })),
  zoomAbout: (offX, offY, ratio) =>
    set((view) => {
      const before = zoomOf(view);
      const zoom = clamp(before * ratio, Math.min(FURTHEST, fitZoom(view)), NEAREST);
      const dx = offX * (1 / before - 1 / zoom);
      const dy = offY * (1 / before - 1 / zoom);
      return { ...inside(view, view.x + dx, view.y + dy), zoom };
    }),
  dress: ({ smooth, lift, surround }) =>
    set({
      smooth,
      lift: LIFTS.includes(lift) ? lift : 1,
      surround: surround in SURROUNDS ? surround : MIDDLE_GREY,
    }),
  showFrame: (frame) => set({ frame }),
  goTo: ({ left, top, width, height }) =>
    set((view) => ({
      ...inside(view, left + width / 2, top + height / 2),
      zoom: view.zoom ?? Math.max(1, fitZoom(view)),
    })),
}));
