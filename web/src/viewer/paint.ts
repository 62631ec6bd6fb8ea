import type { Picture } from "../api/client";
import { isHere, tile } from "./tiles";
import { zoomOf, type Viewport } from "./viewport";

interface Piece {
  url: string;
  left: number;
  top: number;
  right: number;
  bottom: number;
}

export const tileUrl = (picture: Picture, frame: number, level: number, column: number, row: number) =>
  `/api/pictures/${picture.id}/frames/${Math.min(frame, picture.frames - 1)}/tiles/${level}/${column}/${row}`;

/** The tile level whose pixels are not larger than device pixels; level 0 from 100 % on. */
function levelFor(picture: Picture, zoom: number): number {
  if (zoom >= 1) return 0;
  return Math.min(picture.levels - 1, Math.floor(Math.log2(1 / zoom) + 1e-6));
}

/** Tiles that show in a pane, with the device pixels they cover. A picture of another size is laid over the truth. */
function pieces(picture: Picture, view: Viewport, level: number): Piece[] {
  const zoom = zoomOf(view);
  const originX = Math.round(view.pane.width / 2 - view.x * zoom);
  const originY = Math.round(view.pane.height / 2 - view.y * zoom);
  const width = Math.ceil(picture.width / 2 ** level);
  const height = Math.ceil(picture.height / 2 ** level);
  const stepX = (view.extent.width / width) * zoom;
  const stepY = (view.extent.height / height) * zoom;
  const size = picture.tile;
  const first = (origin: number, step: number) => Math.max(0, Math.floor(-origin / step / size));
  const last = (origin: number, step: number, pane: number, length: number) =>
    Math.min(Math.ceil(length / size) - 1, Math.floor((pane - origin) / step / size));
  const found: Piece[] = [];
  for (let row = first(originY, stepY); row <= last(originY, stepY, view.pane.height, height); row++) {
    for (
      let column = first(originX, stepX);
      column <= last(originX, stepX, view.pane.width, width);
      column++
    ) {
      found.push({
        url: tileUrl(picture, view.frame, level, column, row),
        left: Math.round(originX + column * size * stepX),
        top: Math.round(originY + row * size * stepY),
        right: Math.round(originX + Math.min(width, (column + 1) * size) * stepX),
        bottom: Math.round(originY + Math.min(height, (row + 1) * size) * stepY),
      });
    }
  }
  return found;
}

function pictureZoom(picture: Picture, view: Viewport): number {
  return (view.extent.width / picture.width) * zoomOf(view);
}

const inSight = (picture: Picture, view: Viewport) =>
  pieces(picture, view, levelFor(picture, pictureZoom(picture, view)));

/** True when every tile that shows is here; those that are not get fetched. */
export const ready = (picture: Picture, view: Viewport): boolean =>
  inSight(picture, view)
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

/**
 * Draw a picture on its surround, within a part of the canvas if one is given; what is not here yet stands in from the
 * smallest level. True when nothing had to.
 */
export function paint(
  canvas: HTMLCanvasElement,
  picture: Picture,
  view: Viewport,
  surround: string,
  clip?: Clip,
): boolean {
  const context = canvas.getContext("2d", { alpha: false });
  if (!context) return false;
  context.save();
  if (clip) {
    context.beginPath();
    context.rect(clip.left, clip.top, clip.width, clip.height);
    context.clip();
  }
  const zoom = pictureZoom(picture, view);
  const level = levelFor(picture, zoom);
  context.fillStyle = surround;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.imageSmoothingQuality = "high";
  const coarse = picture.levels - 1;
  const fine = inSight(picture, view).map((piece) => ({ piece, bitmap: tile(piece.url) }));
  const whole = fine.every(({ bitmap }) => bitmap);
  const standIn = whole || coarse === level ? [] : pieces(picture, view, coarse);
  for (const { piece, bitmap } of [
    ...standIn.map((piece) => ({ piece, bitmap: tile(piece.url) })),
    ...fine,
  ]) {
    if (!bitmap) continue;
    const width = piece.right - piece.left;
    const height = piece.bottom - piece.top;
    context.imageSmoothingEnabled = view.smooth || width < bitmap.width;
    context.drawImage(bitmap, piece.left, piece.top, width, height);
  }
  context.restore();
  return whole;
}
