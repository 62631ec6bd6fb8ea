import { expect, it } from "vitest";
import type { Source } from "../../api/client";
import { cutsWithin, usualPart } from "./PartPick";

const clip = (frames: number, rate: string | null) => ({ facts: { frames, rate } }) as Source;

it("takes two seconds from the middle of a clip", () => {
  expect(usualPart(clip(150, "25/1"))).toEqual({ first: 50, frames: 50 });
  expect(usualPart(clip(1000, "24000/1001"))).toEqual({ first: 476, frames: 48 });
});

it("takes all of what is short", () => {
  expect(usualPart(clip(30, "25/1"))).toEqual({ first: 0, frames: 30 });
  expect(usualPart(clip(1, null))).toEqual({ first: 0, frames: 1 });
  expect(usualPart(undefined)).toEqual({ first: 0, frames: 1 });
});

it("names the cuts that a part spans, not those at its ends", () => {
  expect(cutsWithin({ first: 30, frames: 50 }, [0, 30, 76, 80, 137])).toEqual([76]);
  expect(cutsWithin({ first: 30, frames: 46 }, [0, 30, 76])).toEqual([]);
});
