import { expect, it } from "vitest";
import { frameAtPlace, timeline } from "./slice";
import { VIEW } from "./view.fixture";

it("gives every frame the same whole device pixels where they fit, in the middle of the pane", () => {
  expect(timeline(VIEW, "row", 50)).toEqual({ from: 3, each: 6 });
  expect(timeline(VIEW, "column", 100)).toEqual({ from: 0, each: 4 });
  expect(timeline(VIEW, "row", 600)).toEqual({ from: 0, each: 307 / 600 });
});

it("finds the frame at a place, and the first or last beyond the ends", () => {
  for (const [axis, frames] of [
    ["row", 50],
    ["column", 37],
    ["row", 600],
  ] as const) {
    const { from, each } = timeline(VIEW, axis, frames);
    for (const frame of [0, 1, frames - 1])
      expect(frameAtPlace(VIEW, axis, frames, from + (frame + 0.5) * each)).toBe(frame);
    expect(frameAtPlace(VIEW, axis, frames, -5)).toBe(0);
    expect(frameAtPlace(VIEW, axis, frames, 999)).toBe(frames - 1);
  }
});
