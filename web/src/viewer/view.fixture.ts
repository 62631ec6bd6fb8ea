import type { Viewport } from "./viewport";

/** For tests: four device pixels to a picture pixel, in a pane of odd sides. */
export const VIEW: Viewport = {
  extent: { width: 100, height: 80 },
  pane: { width: 401, height: 307 },
  x: 50,
  y: 40,
  zoom: 4,
  smooth: false,
  frame: 0,
  lift: 1,
  surround: 1,
};
