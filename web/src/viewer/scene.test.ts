import { expect, it } from "vitest";
import { ciede2000, labOf } from "./colour";
import { differ, dividerAt } from "./scene";
import { VIEW as AT_FOUR } from "./view.fixture";

const VIEW = { ...AT_FOUR, pane: { width: 401, height: 300 } };

it("puts a divider at the edge of a picture pixel, and names the first column right of it", () => {
  for (const share of [0.1, 0.33, 0.5, 0.777]) {
    const { at, column } = dividerAt(VIEW, true, share);
    const origin = Math.round(401 / 2 - 50 * 4);
    expect((at - origin) % 4).toBe(0);
    expect((at - origin) / 4).toBe(column);
    expect(Math.abs(at - share * 401)).toBeLessThanOrEqual(2.5);
  }
  expect(dividerAt(VIEW, false, 0.5)).toEqual({ at: 150, column: 40 });
});

it("keeps a divider in the pane and its column in the picture", () => {
  const off = { ...VIEW, x: 0 };
  expect(dividerAt(off, true, 0)).toEqual({ at: 0, column: 0 });
  expect(dividerAt({ ...VIEW, zoom: 0.5 }, true, 1)).toEqual({ at: 401, column: 100 });
});

const pixel = (...values: number[]) => new Uint8ClampedArray([...values, 255]);

it("shows the sign of a difference in luma about the middle, times the gain", () => {
  const second = pixel(110, 110, 110);
  differ(pixel(100, 100, 100), second, { of: "luma", signed: true, gain: 4 });
  expect([...second]).toEqual([168, 168, 168, 255]);
  const darker = pixel(0, 0, 0);
  differ(pixel(200, 0, 0), darker, { of: "luma", signed: true, gain: 1 });
  expect(darker[0]).toBe(Math.round(128 - 0.2126 * 200));
});

it("shows how large it is in each channel without its sign, and no more than white", () => {
  const second = pixel(10, 20, 250);
  differ(pixel(12, 15, 0), second, { of: "channels", signed: false, gain: 2 });
  expect([...second]).toEqual([4, 10, 255, 255]);
});

it("shows one channel, and how far colours are apart", () => {
  const green = pixel(10, 20, 250);
  differ(pixel(12, 15, 0), green, { of: "green", signed: false, gain: 2 });
  expect([...green]).toEqual([10, 10, 10, 255]);
  const colour = pixel(255, 255, 255); // black and white are 100 apart: more than white shows
  differ(pixel(0, 0, 0), colour, { of: "colour", signed: false, gain: 1 });
  expect([...colour]).toEqual([255, 255, 255, 255]);
  const near = pixel(120, 119, 119);
  differ(pixel(119, 119, 119), near, { of: "colour", signed: false, gain: 32 });
  expect(near[0]).toBe(Math.round(255 * ciede2000(labOf(119, 119, 119), labOf(120, 119, 119))));
});
