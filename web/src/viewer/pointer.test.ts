import { expect, it } from "vitest";
import { pixelAt } from "./pointer";
import { VIEW } from "./view.fixture";

it("finds the pixel that is drawn under the pointer, at the pane's own rounding", () => {
  const left = Math.round(401 / 2 - 50 * 4);
  const top = Math.round(307 / 2 - 40 * 4);
  for (const [x, y] of [
    [0, 2],
    [17, 41],
    [99, 79],
  ] as const)
    for (const inside of [0.01, 3.99]) {
      const off = { x: left + x * 4 + inside - 401 / 2, y: top + y * 4 + inside - 307 / 2 };
      expect(pixelAt(VIEW, off)).toEqual({ x, y });
    }
});

it("finds nothing outside the picture", () => {
  const small = { ...VIEW, zoom: 1 };
  expect(pixelAt(small, { x: 50.6, y: 0 })).toBeNull();
  expect(pixelAt(small, { x: -51, y: 0 })).toBeNull();
  expect(pixelAt(small, { x: 0, y: 41 })).toBeNull();
});
