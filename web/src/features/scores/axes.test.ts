import { expect, it } from "vitest";
import { decades, evenSteps } from "./axes";

it("spans costs by steps of 1, 2 and 5", () => {
  expect(decades([0.03, 0.9])).toEqual([0.02, 0.05, 0.1, 0.2, 0.5, 1]);
  expect(decades([2e6, 2e6])).toEqual([2e6]);
  expect(decades([7])).toEqual([5, 10]);
});

it("encloses values by even steps", () => {
  expect(evenSteps([0.91, 0.97])).toEqual([0.9, 0.92, 0.94, 0.96, 0.98]);
  expect(evenSteps([28.2, 33.9])).toEqual([26, 28, 30, 32, 34, 36]);
  expect(evenSteps([-3, 5]).at(0)).toBeLessThanOrEqual(-3);
  for (const values of [
    [5, 5],
    [0, 0],
    [-1e-4, 2e-4],
    [120, 4800],
  ]) {
    const steps = evenSteps(values);
    expect(steps.length).toBeGreaterThan(2);
    expect(steps.length).toBeLessThan(9);
    expect(steps[0]).toBeLessThanOrEqual(Math.min(...values));
    expect(steps.at(-1)).toBeGreaterThanOrEqual(Math.max(...values));
  }
});
