import { beforeEach, expect, it, vi } from "vitest";
import type { Picture } from "../api/client";
import { paint, ready } from "./paint";
import type { Viewport } from "./viewport";

const here = new Set<string>();
const asked: string[] = [];

vi.mock("./tiles", () => ({
  isHere: (url: string) => here.has(url),
  tile: (url: string) => {
    asked.push(url);
    return here.has(url) ? { width: 512, height: 512, url } : null;
  },
}));

const PICTURE: Picture = {
  id: "p", width: 2000, height: 1500, bit_depth: 16, levels: 3, tile: 512, frames: 1, rate: null,
  file_bytes: 1,
}; // prettier-ignore
const VIEW: Viewport = {
  extent: { width: 2000, height: 1500 },
  pane: { width: 600, height: 400 },
  x: 1000,
  y: 750,
  zoom: 1,
  smooth: false,
  frame: 0,
  lift: 1,
  surround: 1,
};
const url = (level: number, column: number, row: number) =>
  `/api/pictures/p/frames/0/tiles/${level}/${column}/${row}`;

interface Drawn {
  url: string;
  box: number[];
  smooth: boolean;
}

function fakeCanvas(drawn: Drawn[]) {
  const context = {
    imageSmoothingEnabled: true,
    fillRect: () => undefined,
    save: () => undefined,
    restore: () => undefined,
    drawImage(bitmap: { url: string }, ...box: number[]) {
      drawn.push({ url: bitmap.url, box, smooth: this.imageSmoothingEnabled });
    },
  };
  return { width: 600, height: 400, getContext: () => context } as unknown as HTMLCanvasElement;
}

beforeEach(() => {
  here.clear();
  asked.length = 0;
});

it("asks only for the tiles in sight", () => {
  expect(ready(PICTURE, VIEW)).toBe(false);
  expect(asked).toEqual([url(0, 1, 1), url(0, 2, 1)]);
});

it("takes a coarser level below 100 %, never one whose pixels are larger than the screen's", () => {
  ready(PICTURE, { ...VIEW, zoom: 0.5 });
  expect(new Set(asked.map((asking) => asking.split("/")[7]))).toEqual(new Set(["1"]));
  asked.length = 0;
  ready(PICTURE, { ...VIEW, zoom: 0.3 });
  expect(asked.every((asking) => asking.includes("/tiles/1/"))).toBe(true);
  asked.length = 0;
  ready(PICTURE, { ...VIEW, zoom: 0.01 });
  expect(asked).toEqual([url(2, 0, 0)]);
});

it("puts tiles on whole device pixels, edge to edge, unsmoothed from 100 % on", () => {
  for (const [column, row] of [[1, 1], [2, 1]] as const) here.add(url(0, column, row)); // prettier-ignore
  const drawn: Drawn[] = [];
  expect(paint(fakeCanvas(drawn), PICTURE, VIEW, "#777")).toBe(true);
  expect(drawn).toEqual([
    { url: url(0, 1, 1), box: [-188, -38, 512, 512], smooth: false },
    { url: url(0, 2, 1), box: [324, -38, 512, 512], smooth: false },
  ]);
});

it("scales one sheet of tiles once at a fractional zoom, so that no edge is rounded", () => {
  for (let column = 0; column < 4; column++) for (let row = 0; row < 3; row++) here.add(url(0, column, row));
  const [drawn, onSheet]: [Drawn[], Drawn[]] = [[], []];
  vi.stubGlobal("document", { createElement: () => fakeCanvas(onSheet) });
  paint(fakeCanvas(drawn), PICTURE, { ...VIEW, x: 1000.3, y: 749.7, zoom: 1.37 }, "#777");
  expect(onSheet.map(({ box }) => box)).toEqual([
    [0, 0],
    [512, 0],
  ]);
  const [left, top] = [300 - 1370, 200 - 1027].map((origin) => Math.round(origin)) as [number, number];
  expect(drawn.map(({ box }) => box)).toEqual([
    [left + 512 * 1.37, top + 512 * 1.37, 1024 * 1.37, 512 * 1.37],
  ]);
});

it("lays a smaller picture over the truth at the truth's place", () => {
  const input = { ...PICTURE, width: 500, height: 375, levels: 1 };
  here.add(url(0, 0, 0));
  const drawn: Drawn[] = [];
  paint(fakeCanvas(drawn), input, { ...VIEW, zoom: 1 }, "#777");
  expect(drawn[0]?.box).toEqual([-700, -550, 2000, 1500]);
  expect(drawn[0]?.smooth).toBe(false);
});

it("lets the smallest level stand in, and says that something is missing", () => {
  here.add(url(2, 0, 0));
  const drawn: Drawn[] = [];
  expect(paint(fakeCanvas(drawn), PICTURE, VIEW, "#777")).toBe(false);
  expect(drawn.map(({ url: name }) => name)).toEqual([url(2, 0, 0)]);
});

it("smooths above 100 % only when asked", () => {
  here.add(url(0, 1, 1)).add(url(0, 2, 1));
  const drawn: Drawn[] = [];
  paint(fakeCanvas(drawn), PICTURE, { ...VIEW, smooth: true }, "#777");
  expect(drawn.every(({ smooth }) => smooth)).toBe(true);
});
