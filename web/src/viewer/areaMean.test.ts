import { expect, it } from "vitest";
import { areaMean, rowsUnder } from "./areaMean";

/** Grey bytes of a ramp that rises by 2 a pixel to the right and by 3 a row. */
function ramp(width: number, height: number) {
  const data = new Uint8ClampedArray(width * height * 4);
  for (let at = 0; at < width * height; at++)
    data.fill(2 * (at % width) + 3 * Math.floor(at / width), 4 * at, 4 * at + 3);
  return data;
}

it("gives the mean over each output pixel's area, at any factor and place", () => {
  const source = { data: ramp(40, 30), top: 0, width: 40 };
  for (const [from, step] of [
    [0, 2],
    [3, 1],
    [2.5, 2.7],
    [0.25, 3.5],
  ] as const) {
    const out = { data: new Uint8ClampedArray(6 * 5 * 4), width: 6 };
    areaMean(source, 30, { from, step }, { from: 1, step: 2 }, out, 0, 5, [0, 0, 0]);
    for (let y = 0; y < 5; y++)
      for (let x = 0; x < 6; x++) {
        // The mean of a staircase over an interval, summed finely.
        const low = from + x * step;
        let sum = 0;
        for (let k = 0; k < 1000; k++) sum += 2 * Math.floor(low + ((k + 0.5) * step) / 1000);
        const wanted = sum / 1000 + 3 * (1 + 2 * y + 0.5);
        expect(Math.abs((out.data[4 * (6 * y + x)] ?? 0) - wanted)).toBeLessThan(0.55);
      }
  }
});

it("lets the surround count where the source ends, and works band by band", () => {
  const source = { data: new Uint8ClampedArray(16).fill(200), top: 0, width: 2 };
  const out = { data: new Uint8ClampedArray(3 * 1 * 4), width: 3 };
  areaMean(source, 2, { from: -1, step: 2 }, { from: 0, step: 2 }, out, 0, 1, [100, 100, 100]);
  expect([0, 4, 8].map((at) => out.data[at])).toEqual([150, 150, 100]);
  expect(rowsUnder({ from: -1.5, step: 1.5 }, 10, 2, 4)).toEqual([1, 5]);
  expect(rowsUnder({ from: 0, step: 4 }, 10, 0, 9)).toEqual([0, 10]);
});
