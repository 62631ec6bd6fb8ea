import { create } from "zustand";
import type { Picture } from "../api/client";
import { tileUrl } from "./paint";
import { isHere, tile } from "./tiles";
import { useViewport, zoomOf, type Viewport } from "./viewport";

export interface Place {
  x: number;
  y: number;
}

/** The truth pixel under the pointer, in whichever pane it is; null outside. */
export const usePlace = create<{ place: Place | null }>(() => ({ place: null }));

/** The truth pixel so many device pixels off the middle of a pane; null outside the picture. */
export function pixelAt(view: Viewport, off: Place): Place | null {
  const zoom = zoomOf(view);
  const along = (place: number, length: number, centre: number) =>
    Math.floor((length / 2 + place - Math.round(length / 2 - centre * zoom)) / zoom);
  const x = along(off.x, view.pane.width, view.x);
  const y = along(off.y, view.pane.height, view.y);
  return x >= 0 && y >= 0 && x < view.extent.width && y < view.extent.height ? { x, y } : null;
}

let over: { canvas: HTMLCanvasElement; x: number; y: number } | null = null;

function tellPlace() {
  let place: Place | null = null;
  if (over?.canvas.isConnected) {
    const box = over.canvas.getBoundingClientRect();
    const scale = window.devicePixelRatio;
    const off = { x: over.x - box.left - box.width / 2, y: over.y - box.top - box.height / 2 };
    place = pixelAt(useViewport.getState(), { x: off.x * scale, y: off.y * scale });
  }
  const before = usePlace.getState().place;
  if (place?.x !== before?.x || place?.y !== before?.y) usePlace.setState({ place });
}

/** Note over which canvas the pointer stands, in the window's pixels; nobody is told while it stays on its pixel. */
export function pointAt(at: typeof over) {
  over = at;
  tellPlace();
}

// A still pointer stands on another pixel when the view moves under it.
useViewport.subscribe(tellPlace);

let one: CanvasRenderingContext2D | null = null;

/** R, G and B (0 to 255) of a picture at a truth pixel; null while its tile is not here. */
export function valueAt(picture: Picture, view: Viewport, place: Place): [number, number, number] | null {
  const at = (value: number, own: number, extent: number) =>
    Math.min(own - 1, Math.floor(((value + 0.5) * own) / extent));
  const x = at(place.x, picture.width, view.extent.width);
  const y = at(place.y, picture.height, view.extent.height);
  const [column, row] = [Math.floor(x / picture.tile), Math.floor(y / picture.tile)];
  const url = tileUrl(picture, view.frame, 0, column, row);
  const bitmap = isHere(url) ? tile(url) : null;
  if (!bitmap) return null;
  one ??= Object.assign(document.createElement("canvas"), { width: 1, height: 1 }).getContext("2d", {
    alpha: false,
    willReadFrequently: true,
  });
  if (!one) return null;
  one.drawImage(bitmap, x % picture.tile, y % picture.tile, 1, 1, 0, 0, 1, 1);
  const [red = 0, green = 0, blue = 0] = one.getImageData(0, 0, 1, 1).data;
  return [red, green, blue];
}
