const AGAIN_MS = 2000;
/** Tiles as bitmaps: fetched once, kept while there is room, the longest unused dropped first. */
export const ROOM_BYTES = 640 * 2 ** 20;
/** What stays when nobody looks any more, so that coming back shows something at once. */
export const REST_BYTES = 64 * 2 ** 20;

interface Held {
  bitmap: ImageBitmap | null;
  failed: boolean;
}

const held = new Map<string, Held>();
const followers = new Set<(url: string) => void>();
let used = 0;

/** Be told the address of every tile that came, or that is worth another try. */
export function followTiles(heard: (url: string) => void): () => void {
  followers.add(heard);
  return () => followers.delete(heard);
}

async function load(url: string, entry: Held) {
  try {
    const response = await fetch(url);
    if (!response.ok) throw new Error(String(response.status));
    // Exactly the code values of the file: no colour conversion, no alpha arithmetic.
    entry.bitmap = await createImageBitmap(await response.blob(), {
      colorSpaceConversion: "none",
      premultiplyAlpha: "none",
    });
    used += entry.bitmap.width * entry.bitmap.height * 4;
    makeRoom();
  } catch {
    entry.failed = true;
    window.setTimeout(() => {
      held.delete(url);
      followers.forEach((heard) => heard(url));
    }, AGAIN_MS);
  }
  followers.forEach((heard) => heard(url));
}

function makeRoom(room = ROOM_BYTES) {
  for (const [url, entry] of held) {
    if (used <= room) return;
    if (!entry.bitmap) continue;
    used -= entry.bitmap.width * entry.bitmap.height * 4;
    entry.bitmap.close();
    held.delete(url);
  }
}

/** Nobody looks any more: keep what was used last, give back the rest. */
export const giveBack = () => makeRoom(REST_BYTES);

/** Whether a bitmap could not be had; it is worth another try in a while. */
export const isFailed = (url: string): boolean => Boolean(held.get(url)?.failed);

/** Whether a bitmap is here; nothing is fetched, and nothing counts as used. */
export const isHere = (url: string): boolean => Boolean(held.get(url)?.bitmap);

/** The bitmap if it is here; otherwise null, and it is on its way. */
export function tile(url: string): ImageBitmap | null {
  const entry = held.get(url);
  if (!entry) {
    const fresh = { bitmap: null, failed: false };
    held.set(url, fresh);
    void load(url, fresh);
    return null;
  }
  held.delete(url);
  held.set(url, entry);
  return entry.bitmap;
}
