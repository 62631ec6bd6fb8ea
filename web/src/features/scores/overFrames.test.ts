import { expect, it } from "vitest";
import type { Measure } from "../../api/client";
import { overFrames, quantile } from "./overFrames";

const HIGHER = { digits: 1, better: "higher" } as Measure;

it("puts quantiles between neighbours, as common practice has it", () => {
  expect(quantile([1, 2, 3, 4, 5], 0.5)).toBe(3);
  expect(quantile([0, 10], 0.05)).toBeCloseTo(0.5);
});

it("tells of the spread and of the worst frame of the source", () => {
  expect(overFrames([30, 28, 35], HIGHER, 100)).toEqual([
    "mean over 3 frames, nine tenths from 28.2 to 34.5",
    "worst 28.0 at frame 101",
  ]);
  expect(overFrames([3, null, 9], { ...HIGHER, better: "lower" }, 0)[1]).toBe("worst 9.0 at frame 2");
  expect(overFrames([3, null, 9], HIGHER, 0)[0]).toContain("2 of 3 frames");
});

it("says nothing of a still", () => {
  expect(overFrames(null, HIGHER, 0)).toEqual([]);
  expect(overFrames([3], HIGHER, 0)).toEqual([]);
});
