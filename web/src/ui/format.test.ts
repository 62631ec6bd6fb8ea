import { describe, expect, it } from "vitest";
import { bytes, megapixels, noise, percent, seconds, zoomText } from "./format";
import { DASHES, dashOf } from "./letters";

describe("noise", () => {
  it("tells luma and colour, or that texture hides it", () => {
    expect(noise({ noise_sigma: 2.04, noise_colour: 1.5 })).toBe("2.0 cv, colour 1.5");
    expect(noise({ noise_sigma: 2.04, noise_colour: 0 })).toBe("2.0 cv");
    expect(noise({ noise_sigma: null })).toBe("not measurable");
  });
});

describe("seconds", () => {
  it.each([
    [0.0042, "4 ms"],
    [0.25, "250 ms"],
    [0.996, "1.0 s"],
    [3.14159, "3.1 s"],
    [42.4, "42 s"],
    [89, "89 s"],
    [420, "7 min"],
    [9000, "2.5 h"],
  ])("%f is %s", (value, text) => expect(seconds(value)).toBe(text));
});

describe("bytes", () => {
  // Common practice: 5 x 7 in at 300 dpi is 9.0 MiB as 8-bit RGB, at 30 in tall it is 165.5 MiB.
  const print = (tall: number) => Math.round(tall * (5 / 7) * 300) * tall * 300 * 3;
  it.each([
    [0, "0 B"],
    [1023, "1023 B"],
    [2048, "2.0 KiB"],
    [print(7), "9.0 MiB"],
    [print(30), "166 MiB"],
    [25 * 2 ** 30, "25 GiB"],
  ])("%i is %s", (value, text) => expect(bytes(value)).toBe(text));
});

describe("percent", () => {
  it.each([
    [1 / 25, "4.0 %"],
    [1 / 16, "6.3 %"],
    [0.25, "25 %"],
    [1, "100 %"],
    [0, "0 %"],
  ])("%f is %s", (value, text) => expect(percent(value)).toBe(text));
});

it("tells zooms in three digits", () => {
  expect([0.53125, 1, 16, 8.5].map(zoomText)).toEqual(["53.1 %", "100 %", "1600 %", "850 %"]);
});

it("tells megapixels", () => {
  // Common practice: a 3:2 crop of 4000 lines is 24 megapixels.
  expect(megapixels({ width: 6000, height: 4000 })).toBe("24.0 MP");
  expect(megapixels({ width: 1280, height: 720 })).toBe("0.92 MP");
});

it("gives every entry an edge pattern of its own", () => {
  const letters = "ABCDEFGHIJKL".split("");
  expect(new Set(letters.map(dashOf)).size).toBe(DASHES.length);
  expect(dashOf("Truth")).toBe("");
});
