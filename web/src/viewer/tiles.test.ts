import { expect, it, vi } from "vitest";
import { giveBack, isHere, REST_BYTES, tile } from "./tiles";

it("gives memory back when nobody looks any more, and keeps what was used last", async () => {
  const closed: string[] = [];
  vi.stubGlobal("fetch", (url: string) => Promise.resolve({ ok: true, blob: () => Promise.resolve(url) }));
  vi.stubGlobal("createImageBitmap", (url: string) =>
    Promise.resolve({ width: 2048, height: 2048, close: () => closed.push(url) }),
  );
  const urls = Array.from({ length: 8 }, (_, number) => `/tile/${number}`);
  urls.forEach(tile);
  await vi.waitFor(() => expect(urls.every(isHere)).toBe(true));
  tile("/tile/0"); // is used again
  giveBack();
  const kept = urls.filter(isHere);
  expect(kept).toEqual(["/tile/0", "/tile/5", "/tile/6", "/tile/7"]);
  expect(kept.length * 2048 * 2048 * 4).toBe(REST_BYTES);
  expect(closed).toEqual(["/tile/1", "/tile/2", "/tile/3", "/tile/4"]);
});
