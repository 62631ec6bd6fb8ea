import { expect, it } from "vitest";
import pairs from "../../../tests/reference/ciede2000_pairs.csv?raw";
import { ciede2000, labOf, type Lab } from "./colour";

it("gives the 34 pairs of Sharma, Wu and Dalal 2005, table 1", () => {
  const rows = pairs
    .split("\n")
    .filter((line) => line && !line.startsWith("#"))
    .map((line) => line.split(",").map(Number));
  expect(rows.length).toBe(34);
  for (const [l1, a1, b1, l2, a2, b2, wanted] of rows)
    expect(ciede2000([l1, a1, b1] as Lab, [l2, a2, b2] as Lab)).toBeCloseTo(wanted ?? NaN, 4);
});

it("puts white, black and grey where they belong", () => {
  expect(labOf(255, 255, 255)[0]).toBeCloseTo(100, 3);
  expect(labOf(0, 0, 0)[0]).toBeCloseTo(0, 6);
  const [, a, b] = labOf(119, 119, 119);
  expect(Math.hypot(a, b)).toBeLessThan(0.02);
});
