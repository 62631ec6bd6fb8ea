import type { Picture } from "../api/client";
import { areaMean, rowsUnder } from "./areaMean";
import { partOf } from "./sheets";
import { isHere, tile } from "./tiles";
import { zoomOf, type Viewport } from "./viewport";

/** How far a picture is drawn off its place, in truth pixels, where it is known to lie off by as much. */
export interface Shift {
  right: number;
  down: number;
}

/** Where a level of a picture lies in a pane: the device pixels of its corner and of one of its own pixels. */
interface Laid {
  level: number;
  width: number;
  height: number;
  left: number;
  top: number;
  stepX: number;
  stepY: number;
}

interface Piece {
  url: string;
  column: number;
  row: number;
}

export const tileUrl = (picture: Picture, frame: number, level: number, column: number, row: number) =>
  `/api/pictures/${picture.id}/frames/${Math.min(frame, picture.frames - 1)}/tiles/${level}/${column}/${row}`;

/** The tile level whose pixels are not larger than device pixels; level 0 from 100 % on. */
function levelFor(picture: Picture, zoom: number): number {
  if (zoom >= 1) return 0;
  return Math.min(picture.levels - 1, Math.floor(Math.log2(1 / zoom) + 1e-6));
}

/** A picture of another size is laid over the truth; the truth's corner stands on a whole device pixel. */
function laid(picture: Picture, view: Viewport, level: number, shift?: Shift): Laid {
  const zoom = zoomOf(view);
  const width = Math.ceil(picture.width / 2 ** level);
  const height = Math.ceil(picture.height / 2 ** level);
  return {
    level,
    width,
    height,
    left: Math.round(view.pane.width / 2 - view.x * zoom) + (shift?.right ?? 0) * zoom,
    top: Math.round(view.pane.height / 2 - view.y * zoom) + (shift?.down ?? 0) * zoom,
    stepX: (view.extent.width / width) * zoom,
    stepY: (view.extent.height / height) * zoom,
  };
}

/** Tiles of a level that show in a pane. */
function pieces(picture: Picture, view: Viewport, at: Laid): Piece[] {
  const size = picture.tile;
  const first = (origin: number, step: number) => Math.max(0, Math.floor(-origin / step / size));
  const last = (origin: number, step: number, pane: number, length: number) =>
    Math.min(Math.ceil(length / size) - 1, Math.floor((pane - origin) / step / size));
  const found: Piece[] = [];
  const lastRow = last(at.top, at.stepY, view.pane.height, at.height);
  const lastColumn = last(at.left, at.stepX, view.pane.width, at.width);
  for (let row = first(at.top, at.stepY); row <= lastRow; row++)
    for (let column = first(at.left, at.stepX); column <= lastColumn; column++)
      found.push({ url: tileUrl(picture, view.frame, at.level, column, row), column, row });
  return found;
}

export function pictureZoom(picture: Picture, view: Viewport): number {
  return (view.extent.width / picture.width) * zoomOf(view);
}

const quickly = (picture: Picture, view: Viewport, shift?: Shift) =>
  laid(picture, view, levelFor(picture, pictureZoom(picture, view)), shift);

const inSight = (picture: Picture, view: Viewport, shift?: Shift) =>
  pieces(picture, view, quickly(picture, view, shift));

/** True when every tile that shows is here; those that are not get fetched. */
export const ready = (picture: Picture, view: Viewport, shift?: Shift): boolean =>
  inSight(picture, view, shift)
    .map((piece) => tile(piece.url) !== null)
    .every(Boolean);

/** True when every tile that shows is here; nothing is fetched. */
export const here = (picture: Picture, view: Viewport): boolean =>
  inSight(picture, view).every((piece) => isHere(piece.url));

/** Memory that the tiles in sight take, at most. */
export const bytesOf = (picture: Picture, view: Viewport): number =>
  inSight(picture, view).length * picture.tile ** 2 * 4;

/** A part of a canvas, in its pixels. */
export interface Clip {
  left: number;
  top: number;
  width: number;
  height: number;
}

const newSheet = (width: number, height: number) =>
  Object.assign(document.createElement("canvas"), { width: Math.max(1, width), height: Math.max(1, height) });

const plain = (canvas: HTMLCanvasElement, often = false) =>
  canvas.getContext("2d", { alpha: false, willReadFrequently: often });

/** Tiles beside one another at their own size, kept for as long as the same ones show. */
const sheets = new WeakMap<HTMLCanvasElement, Map<string, HTMLCanvasElement>>();
const SHEETS = 2;

/** Keep a few made canvases for each canvas on the page; the one used longest ago goes first. */
function kept(
  store: WeakMap<HTMLCanvasElement, Map<string, HTMLCanvasElement>>,
  canvas: HTMLCanvasElement,
  key: string,
  most: number,
  make: () => HTMLCanvasElement | null,
): HTMLCanvasElement | null {
  const own = store.get(canvas) ?? new Map<string, HTMLCanvasElement>();
  store.set(canvas, own);
  const found = own.get(key) ?? make();
  if (!found) return null;
  own.delete(key);
  own.set(key, found);
  for (const old of own.keys()) if (own.size > most) own.delete(old);
  return found;
}

function drawLevel(canvas: HTMLCanvasElement, picture: Picture, view: Viewport, at: Laid): boolean {
  const context = plain(canvas);
  if (!context) return false;
  const found = pieces(picture, view, at).map((piece) => ({ ...piece, bitmap: tile(piece.url) }));
  const size = picture.tile;
  const whole = found.every(({ bitmap }) => bitmap);
  context.imageSmoothingQuality = "high";
  const between = !(Number.isInteger(at.left) && Number.isInteger(at.top)); // moved by parts of a pixel
  context.imageSmoothingEnabled = view.smooth || between || at.stepX < 1 || at.stepY < 1;
  const straight = !between && [size * at.stepX, size * at.stepY].every(Number.isInteger);
  const [start] = found;
  if (straight || !start || !whole) {
    for (const { bitmap, column, row } of found) {
      if (!bitmap) continue;
      const along = (origin: number, step: number, index: number, length: number) =>
        Math.round(origin + Math.min(length, index * size) * step);
      const [left, right] = [0, 1].map((next) => along(at.left, at.stepX, column + next, at.width)) as [
        number,
        number,
      ];
      const [top, bottom] = [0, 1].map((next) => along(at.top, at.stepY, row + next, at.height)) as [
        number,
        number,
      ];
      context.drawImage(bitmap, left, top, right - left, bottom - top);
    }
    return whole;
  }
  // Edges between device pixels would be rounded tile by tile, or show as seams: one sheet is scaled once.
  const last = found.at(-1) ?? start;
  const width = Math.min(at.width, (last.column + 1) * size) - start.column * size;
  const height = Math.min(at.height, (last.row + 1) * size) - start.row * size;
  const sheet = kept(sheets, canvas, `${start.url} ${last.url}`, SHEETS, () => {
    const fresh = newSheet(width, height);
    const onto = plain(fresh);
    for (const { bitmap, column, row } of found)
      if (bitmap) onto?.drawImage(bitmap, (column - start.column) * size, (row - start.row) * size);
    return fresh;
  });
  if (sheet)
    context.drawImage(
      sheet,
      at.left + start.column * size * at.stepX,
      at.top + start.row * size * at.stepY,
      width * at.stepX,
      height * at.stepY,
    );
  return whole;
}

/**
 * Draw a picture on its surround, within a part of the canvas if one is given; what is not here yet stands in from the
 * smallest level. True when nothing had to. Below 100 % it is drawn quickly, and exactly where `refine` has been here.
 */
export function paint(
  canvas: HTMLCanvasElement,
  picture: Picture,
  view: Viewport,
  surround: string,
  clip?: Clip,
  shift?: Shift,
): boolean {
  const context = plain(canvas);
  if (!context) return false;
  context.save();
  if (clip) {
    context.beginPath();
    context.rect(clip.left, clip.top, clip.width, clip.height);
    context.clip();
  }
  context.fillStyle = surround;
  context.fillRect(0, 0, canvas.width, canvas.height);
  const exact = refined.get(canvas)?.get(refinedKey(picture, view, surround, shift));
  let whole = true;
  if (exact) context.drawImage(exact, 0, 0);
  else {
    const at = quickly(picture, view, shift);
    const coarse = picture.levels - 1;
    if (at.level !== coarse && !ready(picture, view, shift))
      drawLevel(canvas, picture, view, laid(picture, view, coarse, shift));
    whole = drawLevel(canvas, picture, view, at);
  }
  context.restore();
  return whole;
}

/** The part of a picture that shows in a pane, from 100 % on: whole pixels, one more around for what lies between. */
function partIn(picture: Picture, at: Laid, pane: Viewport["pane"]) {
  const along = (origin: number, step: number, length: number, shown: number) => {
    const first = Math.max(0, Math.floor(-origin / step) - 1);
    return { first, length: Math.min(length, Math.ceil((shown - origin) / step) + 1) - first };
  };
  const across = along(at.left, at.stepX, picture.width, pane.width);
  const down = along(at.top, at.stepY, picture.height, pane.height);
  if (across.length <= 0 || down.length <= 0) return null;
  return { left: across.first, top: down.first, width: across.length, height: down.length };
}

/**
 * Draw what shows of a picture from a sheet; true when it is here. For views at 100 % and above that do not move: a
 * cell of a wall costs what it shows, not the tiles that it lies in.
 */
export function paintPart(
  canvas: HTMLCanvasElement,
  picture: Picture,
  view: Viewport,
  surround: string,
): boolean {
  const at = laid(picture, view, 0);
  const part = partIn(picture, at, view.pane);
  const frame = Math.min(view.frame, picture.frames - 1);
  const found = part && partOf({ picture: picture.id, frame, ...part });
  const context = plain(canvas);
  if (!context || (part && !found)) return false;
  Object.assign(canvas, view.pane);
  context.fillStyle = surround;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.imageSmoothingQuality = "high";
  context.imageSmoothingEnabled = view.smooth || at.stepX < 1 || at.stepY < 1;
  if (part && found)
    context.drawImage(
      found.sheet,
      0,
      found.top,
      part.width,
      part.height,
      at.left + part.left * at.stepX,
      at.top + part.top * at.stepY,
      part.width * at.stepX,
      part.height * at.stepY,
    );
  return true;
}

/** Pictures below 100 % as the mean over each device pixel's area, for each canvas on the page. */
const refined = new WeakMap<HTMLCanvasElement, Map<string, HTMLCanvasElement>>();
const REFINED = 3;
/** Below 100 % a view that has rested for so long is drawn exactly; while it moves or plays, quickly. */
export const REST_MS = 60;
const BAND = 64; // output rows at a time, so that memory stays small

const refinedKey = (picture: Picture, view: Viewport, surround: string, shift?: Shift) =>
  JSON.stringify([
    picture.id,
    view.frame,
    view.pane,
    view.x,
    view.y,
    zoomOf(view),
    view.extent,
    surround,
    shift,
  ]);

/** Whether `paint` shows exact pixels: from 100 % on always, below where `refine` has been here. */
export const isExact = (
  canvas: HTMLCanvasElement,
  picture: Picture,
  view: Viewport,
  surround: string,
  shift?: Shift,
): boolean =>
  pictureZoom(picture, view) >= 1 ||
  Boolean(refined.get(canvas)?.has(refinedKey(picture, view, surround, shift)));

/** The level of which at least two pixels lie in a device pixel each way: what it blurred does not show. */
function fineLevel(picture: Picture, zoom: number): number {
  return Math.max(0, levelFor(picture, zoom) - 1);
}

/** Make the exact view of a picture below 100 %, if its tiles are here; true when `paint` shows exact pixels now. */
export function refine(
  canvas: HTMLCanvasElement,
  picture: Picture,
  view: Viewport,
  surround: string,
  shift?: Shift,
): boolean {
  const zoom = pictureZoom(picture, view);
  const key = refinedKey(picture, view, surround, shift);
  if (isExact(canvas, picture, view, surround, shift)) return true;
  const at = laid(picture, view, fineLevel(picture, zoom), shift);
  const found = pieces(picture, view, at).map((piece) => ({ ...piece, bitmap: tile(piece.url) }));
  const [start] = found;
  if (!start || !found.every(({ bitmap }) => bitmap)) return !start;
  return Boolean(
    kept(refined, canvas, key, REFINED, () => {
      const made = newSheet(canvas.width, canvas.height);
      const context = plain(made, true);
      if (!context) return null;
      context.fillStyle = surround;
      context.fillRect(0, 0, 1, 1);
      const ground = [...context.getImageData(0, 0, 1, 1).data].slice(0, 3);
      const out = context.createImageData(made.width, made.height);
      const size = picture.tile;
      const columns = (found.at(-1)?.column ?? 0) - start.column + 1;
      const offset = start.column * size;
      const width = Math.min(at.width - offset, columns * size);
      const across = { from: -at.left / at.stepX - offset, step: 1 / at.stepX };
      const down = { from: -at.top / at.stepY, step: 1 / at.stepY };
      const sheet = newSheet(width, 1);
      for (let first = 0; first < made.height; first += BAND) {
        const last = Math.min(made.height, first + BAND);
        const [top, bottom] = rowsUnder(down, at.height, first, last);
        sheet.height = Math.max(1, bottom - top);
        const onto = plain(sheet, true);
        if (!onto) return null;
        for (const { bitmap, column, row } of found)
          if (bitmap && row * size < bottom && (row + 1) * size > top)
            onto.drawImage(bitmap, column * size - offset, row * size - top);
        const { data } = onto.getImageData(0, 0, width, sheet.height);
        areaMean({ data, top, width }, at.height, across, down, out, first, last, ground);
      }
      context.putImageData(out, 0, 0);
      return made;
    }),
  );
}
