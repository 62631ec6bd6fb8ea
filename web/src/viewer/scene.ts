import type { Picture } from "../api/client";
import { isExact, paint, ready, refine, type Clip, type Shift } from "./paint";
import { ciede2000, labOf } from "./colour";
import { paintHeat, type Heat } from "./heat";
import { paintSlice, sliceUrl, type Slice } from "./slice";
import { tile } from "./tiles";
import { surroundOf, zoomOf, type Viewport } from "./viewport";

/** What of two pictures is held against one another. */
export type DifferenceOf = "luma" | "red" | "green" | "blue" | "channels" | "colour";

/** How the difference of two pictures is shown. */
export interface DifferenceLook {
  of: DifferenceOf;
  /** With its sign about middle grey, or its size; channels and colour have no sign. */
  signed: boolean;
  gain: number;
}

/** CIEDE2000 that is white at a gain of 1. */
export const MOST_COLOUR = 32;

/** What a pane shows: one picture, two beside a divider (its place a share of the pane), how two differ, or time. */
export type Scene =
  | { kind: "one"; pictures: [Picture]; heat?: Heat; shift?: Shift }
  | { kind: "wipe"; pictures: [Picture, Picture]; upright: boolean; share: number }
  | { kind: "difference"; pictures: [Picture, Picture]; look: DifferenceLook }
  | { kind: "slice"; pictures: [Picture]; slice: Slice };

const shiftOf = (scene: Scene) => (scene.kind === "one" ? scene.shift : undefined);

/** Whether every picture stands there as the mean over each device pixel; a difference is exact from 100 % on only. */
export const sceneExact = (canvas: HTMLCanvasElement, scene: Scene, view: Viewport): boolean =>
  scene.kind !== "slice" &&
  scene.pictures.every((picture) =>
    isExact(canvas, picture, view, scene.kind === "difference" ? "" : surroundOf(view), shiftOf(scene)),
  );

/** Make the exact pixels of a view that rests; false while tiles are on their way, or where there are none to make. */
export const refineScene = (canvas: HTMLCanvasElement, scene: Scene, view: Viewport): boolean =>
  (scene.kind === "one" || scene.kind === "wipe") &&
  scene.pictures.every((picture) => refine(canvas, picture, view, surroundOf(view), shiftOf(scene)));

/** Pictures in their order; two scenes with the same ones differ in how they are shown only. */
export const keyOf = (scene: Scene): string =>
  [
    scene.kind,
    ...(scene.kind === "slice" ? [scene.slice.axis, scene.slice.at] : []),
    ...(scene.kind === "one" && scene.heat ? [scene.heat.url] : []),
    ...(scene.kind === "one" && scene.shift ? [scene.shift.right, scene.shift.down] : []),
    ...scene.pictures.map(({ id }) => id),
  ].join(" ");

export const sceneReady = (scene: Scene, view: Viewport): boolean =>
  scene.kind === "slice"
    ? tile(sliceUrl(scene.pictures[0], scene.slice)) !== null
    : [
        ...scene.pictures.map((picture) => ready(picture, view, shiftOf(scene))),
        scene.kind !== "one" || !scene.heat || tile(scene.heat.url) !== null,
      ].every(Boolean);

/**
 * Where a divider stands, in device pixels: at the edge of a picture pixel where these are larger than one, so that
 * a column belongs to one side only. `column` is the first one right of it (or below), in truth pixels.
 */
export function dividerAt(view: Viewport, upright: boolean, share: number): { at: number; column: number } {
  const length = upright ? view.pane.width : view.pane.height;
  const zoom = zoomOf(view);
  const origin = Math.round(length / 2 - (upright ? view.x : view.y) * zoom);
  const extent = upright ? view.extent.width : view.extent.height;
  const place = (share * length - origin) / zoom;
  const column = Math.min(Math.max(0, Math.round(place)), extent);
  const snaps = zoom >= 1 && place >= 0 && place <= extent;
  return { at: Math.round(snaps ? origin + column * zoom : share * length), column };
}

/** Luma of ITU-R BT.709. */
const luma = (data: Uint8ClampedArray, at: number) =>
  0.2126 * (data[at] ?? 0) + 0.7152 * (data[at + 1] ?? 0) + 0.0722 * (data[at + 2] ?? 0);

const CHANNELS: DifferenceOf[] = ["red", "green", "blue"];

/** Second less first, pixel by pixel, in place of the second. */
export function differ(
  first: Uint8ClampedArray,
  second: Uint8ClampedArray,
  { of, signed, gain }: DifferenceLook,
) {
  const grey = (at: number, value: number) => {
    second[at] = second[at + 1] = second[at + 2] = value;
  };
  const labAt = (data: Uint8ClampedArray, at: number) =>
    labOf(data[at] ?? 0, data[at + 1] ?? 0, data[at + 2] ?? 0);
  const channel = CHANNELS.indexOf(of);
  for (let at = 0; at < second.length; at += 4) {
    if (of === "channels") {
      for (let each = at; each < at + 3; each++)
        second[each] = gain * Math.abs((second[each] ?? 0) - (first[each] ?? 0));
    } else if (of === "colour") {
      const same =
        first[at] === second[at] && first[at + 1] === second[at + 1] && first[at + 2] === second[at + 2];
      grey(at, same ? 0 : (gain * 255 * ciede2000(labAt(first, at), labAt(second, at))) / MOST_COLOUR);
    } else {
      const off =
        of === "luma"
          ? luma(second, at) - luma(first, at)
          : (second[at + channel] ?? 0) - (first[at + channel] ?? 0);
      grey(at, signed ? 128 + gain * off : gain * Math.abs(off));
    }
  }
}

let beside: HTMLCanvasElement | null = null;

/** A canvas that is never shown, as large as another. */
function another({ width, height }: HTMLCanvasElement): HTMLCanvasElement {
  beside ??= document.createElement("canvas");
  if (beside.width !== width || beside.height !== height) Object.assign(beside, { width, height });
  return beside;
}

/** Draw a scene; true when all its pixels are here. */
export function paintScene(canvas: HTMLCanvasElement, scene: Scene, view: Viewport): boolean {
  const surround = surroundOf(view);
  if (scene.kind === "one") {
    const whole = paint(canvas, scene.pictures[0], view, surround, undefined, scene.shift);
    return (!scene.heat || paintHeat(canvas, scene.heat, view)) && whole;
  }
  if (scene.kind === "slice") return paintSlice(canvas, scene.pictures[0], scene.slice, view, surround);
  const [first, second] = scene.pictures;
  const { width, height } = canvas;
  if (scene.kind === "wipe") {
    const { at } = dividerAt(view, scene.upright, scene.share);
    const sides: [Clip, Clip] = scene.upright
      ? [
          { left: 0, top: 0, width: at, height },
          { left: at, top: 0, width: width - at, height },
        ]
      : [
          { left: 0, top: 0, width, height: at },
          { left: 0, top: at, width, height: height - at },
        ];
    const drawn = [
      paint(canvas, first, view, surround, sides[0]),
      paint(canvas, second, view, surround, sides[1]),
    ];
    return drawn.every(Boolean);
  }
  const other = another(canvas);
  // The surround is black on both: it differs by nothing.
  const whole = [paint(other, first, view, "#000"), paint(canvas, second, view, "#000")].every(Boolean);
  const [from, to] = [other.getContext("2d", { alpha: false }), canvas.getContext("2d", { alpha: false })];
  if (!from || !to) return false;
  const result = to.getImageData(0, 0, width, height);
  differ(from.getImageData(0, 0, width, height).data, result.data, scene.look);
  to.putImageData(result, 0, 0);
  return whole;
}
