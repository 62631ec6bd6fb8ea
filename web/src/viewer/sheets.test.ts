import { expect, it } from "vitest";
import { laidOut, type Part } from "./sheets";

const part = (left: number, height: number): Part => ({
  picture: "p", frame: 0, left, top: 0, width: 10, height,
}); // prettier-ignore

it("puts parts below one another, so many on a sheet", () => {
  const parts = new Map([3, 5, 7].map((height, left) => [`p-0/${left},0,10,${height}`, part(left, height)]));
  const found = [...laidOut(parts, 2).values()];
  expect(found.map(({ top }) => top)).toEqual([0, 3, 0]);
  expect(found.map(({ alone }) => alone)).toEqual([false, false, true]);
  expect(found[0]?.url).toBe("/api/sheet?part=p-0/0,0,10,3&part=p-0/1,0,10,5");
  expect(found[1]?.url).toBe(found[0]?.url);
});
