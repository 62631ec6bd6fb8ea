import { tile } from "./tiles";
import { zoomOf, type Viewport } from "./viewport";

/** A grey map over a picture: tinted, the stronger the brighter the map is there; or alone, as it is. */
export interface Heat {
  url: string;
  opacity: number;
  alone: boolean;
}

/** The one colour of maps: rare in pictures, and light enough to be seen by every eye. */
export const TINT = [255, 64, 160] as const;

const tinted = new WeakMap<ImageBitmap, HTMLCanvasElement>();

function tintedOf(bitmap: ImageBitmap): HTMLCanvasElement {
  const known = tinted.get(bitmap);
  if (known) return known;
  const sheet = Object.assign(document.createElement("canvas"), {
    width: bitmap.width,
    height: bitmap.height,
  });
  const context = sheet.getContext("2d");
  if (context) {
    context.drawImage(bitmap, 0, 0);
    const found = context.getImageData(0, 0, sheet.width, sheet.height);
    for (let at = 0; at < found.data.length; at += 4) {
      found.data[at + 3] = found.data[at] ?? 0;
      found.data.set(TINT, at);
    }
    context.putImageData(found, 0, 0);
  }
  tinted.set(bitmap, sheet);
  return sheet;
}

/** Draw a map over what a canvas shows, registered to the truth's frame; false while it is not here. */
export function paintHeat(canvas: HTMLCanvasElement, heat: Heat, view: Viewport): boolean {
  const context = canvas.getContext("2d", { alpha: false });
  const bitmap = tile(heat.url);
  if (!context || !bitmap) return false;
  const zoom = zoomOf(view);
  const left = Math.round(view.pane.width / 2 - view.x * zoom);
  const top = Math.round(view.pane.height / 2 - view.y * zoom);
  context.save();
  context.globalAlpha = heat.alone ? 1 : heat.opacity;
  context.imageSmoothingEnabled = !(heat.alone && zoom >= 1);
  context.imageSmoothingQuality = "high";
  context.drawImage(
    heat.alone ? bitmap : tintedOf(bitmap),
    left,
    top,
    Math.round(view.extent.width * zoom),
    Math.round(view.extent.height * zoom),
  );
  context.restore();
  return true;
}
