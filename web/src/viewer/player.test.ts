import { beforeEach, expect, it } from "vitest";
import { frameAt, usePlayer } from "./player";

const player = usePlayer.getState;

beforeEach(() => player().open(10, 25, 0));

it("shows each frame for its own time, though the screen refreshes at times of its own", () => {
  const refresh = 1 / 60;
  const shown = Array.from({ length: 120 }, (_, count) => frameAt(count * refresh, refresh, 24, 0, 48));
  const lasts = shown.slice(1).filter((frame, place) => frame !== shown[place]).length;
  expect(lasts).toBe(47); // two seconds: every frame of 48, none twice
  expect(new Set(shown).size).toBe(48);
});

it("never runs late where screen and clip have the same rate", () => {
  const refresh = 1 / 60;
  // Time stamps shake by a millisecond; each refresh still shows the next frame.
  const shown = [0, 0.001, -0.001, 0.0005, 0].map((shake, count) =>
    frameAt(count * refresh + Math.max(shake, -count), refresh, 60, 0, 600),
  );
  expect(shown).toEqual([0, 1, 2, 3, 4]);
});

it("loops between in and out", () => {
  expect([0, 0.04, 0.16, 0.2].map((time) => frameAt(time, 0, 25, 3, 4))).toEqual([3, 4, 3, 4]);
});

it("steps around both ends and stops playing", () => {
  player().toggle();
  expect(player().playing).toBe(true);
  player().step(-1);
  expect([player().wanted, player().playing]).toEqual([9, false]);
  player().step(2);
  expect(player().wanted).toBe(1);
});

it("seeks within the part only", () => {
  player().seek(99);
  expect(player().wanted).toBe(9);
  player().seek(-4);
  expect(player().wanted).toBe(0);
});

it("keeps in before out", () => {
  player().seek(6);
  player().markOut();
  expect([player().from, player().to]).toEqual([0, 7]);
  player().seek(8);
  player().markIn();
  expect([player().from, player().to]).toEqual([8, 10]);
  player().seek(3);
  player().markOut();
  expect([player().from, player().to]).toEqual([0, 4]);
});

it("does not play a still", () => {
  player().open(1, 25, 0);
  player().toggle();
  expect(player().playing).toBe(false);
});

it("mends an impossible frame of an address", () => {
  player().open(10, 25, 4000);
  expect(player().wanted).toBe(9);
});
