import type { Picture } from "../api/client";
import { tile } from "./tiles";
import { zoomOf, type Viewport } from "./viewport";

/** A row of pixels over all frames, time going down; or a column, time going right. */
export interface Slice {
  axis: "row" | "column";
  at: number;
}

export const sliceUrl = (picture: Picture, { axis, at }: Slice) => {
  const length = axis === "row" ? picture.height : picture.width;
  return `/api/pictures/${picture.id}/slices/${axis}/${Math.min(Math.max(0, at), length - 1)}`;
};

/** The row or column through the middle of what is seen. */
export const middleOf = (view: Viewport, axis: Slice["axis"]): number =>
  Math.floor(axis === "row" ? view.y : view.x);

/** Where time lies in a pane: the first device pixel, and how many a frame takes; whole ones where they fit. */
export function timeline(
  view: Viewport,
  axis: Slice["axis"],
  frames: number,
): { from: number; each: number } {
  const length = axis === "row" ? view.pane.height : view.pane.width;
  const each = length >= frames ? Math.floor(length / frames) : length / frames;
  return { from: Math.max(0, Math.floor((length - each * frames) / 2)), each };
}

/** The frame at a place along time, device pixels from the pane's start. */
export function frameAtPlace(view: Viewport, axis: Slice["axis"], frames: number, place: number): number {
  const { from, each } = timeline(view, axis, frames);
  return Math.min(frames - 1, Math.max(0, Math.floor((place - from) / each)));
}

/** Draw a slice: along the picture as the panes show it, along time over the whole pane; a mark at the frame shown. */
export function paintSlice(
  canvas: HTMLCanvasElement,
  picture: Picture,
  slice: Slice,
  view: Viewport,
  surround: string,
): boolean {
  const context = canvas.getContext("2d", { alpha: false });
  if (!context) return false;
  context.fillStyle = surround;
  context.fillRect(0, 0, canvas.width, canvas.height);
  const bitmap = tile(sliceUrl(picture, slice));
  if (!bitmap) return false;
  const across = slice.axis === "row";
  const zoom = zoomOf(view);
  const { from, each } = timeline(view, slice.axis, picture.frames);
  const origin = Math.round(
    (across ? view.pane.width / 2 : view.pane.height / 2) - (across ? view.x : view.y) * zoom,
  );
  const length = Math.round((across ? view.extent.width : view.extent.height) * zoom);
  const span = Math.round(each * picture.frames);
  context.imageSmoothingEnabled = view.smooth || zoom < 1 || each < 1;
  context.imageSmoothingQuality = "high";
  if (across) context.drawImage(bitmap, origin, from, length, span);
  else context.drawImage(bitmap, from, origin, span, length);
  const place = from + view.frame * each;
  const thick = Math.max(2, Math.round(each));
  const long = Math.round(12 * window.devicePixelRatio);
  for (const [start, colour] of [
    [0, "#f5f5f5"],
    [long, "#1c1c1c"],
  ] as const) {
    context.fillStyle = colour;
    for (const end of [start, (across ? view.pane.width : view.pane.height) - start - long])
      if (across) context.fillRect(end, place, long, thick);
      else context.fillRect(place, end, thick, long);
  }
  return true;
}
