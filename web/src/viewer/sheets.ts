import { isFailed, tile } from "./tiles";

/** A part of a frame of a picture, in its own pixels. */
export interface Part {
  picture: string;
  frame: number;
  left: number;
  top: number;
  width: number;
  height: number;
}

interface Place {
  url: string;
  top: number;
  alone: boolean;
}

/** Parts on a sheet: the more the fewer requests, the fewer the sooner the first are here. */
const MOST = 30;
const KEPT = 5_000;
const places = new Map<string, Place>();
const waiting = new Map<string, Part>();

const nameOf = ({ picture, frame, left, top, width, height }: Part) =>
  `${picture}-${frame}/${[left, top, width, height].join(",")}`;

/** Put parts on sheets: which of them stands where, and in which file. */
export function laidOut(parts: Map<string, Part>, most = MOST): Map<string, Place> {
  const found = new Map<string, Place>();
  const names = [...parts.keys()];
  for (let first = 0; first < names.length; first += most) {
    const some = names.slice(first, first + most);
    const url = `/api/sheet?${some.map((name) => `part=${name}`).join("&")}`;
    let top = 0;
    for (const name of some) {
      found.set(name, { url, top, alone: some.length === 1 });
      top += parts.get(name)?.height ?? 0;
    }
  }
  return found;
}

function ask() {
  if (places.size > KEPT) places.clear();
  for (const [name, place] of laidOut(waiting)) places.set(name, place);
  const urls = new Set([...waiting.keys()].map((name) => places.get(name)?.url));
  waiting.clear();
  for (const url of urls) if (url) tile(url);
}

/** The sheet that a part is on and where its top is, if it is here; what is asked for together comes together. */
export function partOf(part: Part): { sheet: ImageBitmap; top: number } | null {
  const name = nameOf(part);
  const place = places.get(name);
  if (!place) {
    if (waiting.size === 0) window.setTimeout(ask);
    waiting.set(name, part);
    return null;
  }
  if (!place.alone && isFailed(place.url)) {
    // One of them may be what fails: it does not keep the others back.
    for (const [each, alone] of laidOut(new Map([[name, part]]))) places.set(each, alone);
    return partOf(part);
  }
  const sheet = tile(place.url);
  return sheet && { sheet, top: place.top };
}
