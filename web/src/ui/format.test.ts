import { describe, expect, it } from "vitest";
import {
  bytes,
  dataRate,
  frameRate,
  lasting,
  megapixels,
  noise,
  percent,
  rateOf,
  seconds,
  frameOf,
  timecode,
  unbroken,
  zoomText,
  money,
} from "./format";
import { DASHES, dashOf } from "./letters";

describe("noise", () => {
  it("tells luma and colour, or that texture hides it", () => {
    expect(noise({ noise_sigma: 2.04, noise_colour: 1.5 })).toBe("2.0 cv, colour 1.5");
    expect(noise({ noise_sigma: 2.04, noise_colour: 0 })).toBe("2.0 cv");
    expect(noise({ noise_sigma: null })).toBe("not measurable");
    expect(noise({ noise_sigma: null, noise_most: 3.46 })).toBe("at most 3.5 cv");
    expect(noise({ noise_sigma: null, noise_most: 31.5 })).toBe("not measurable");
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
  const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ".split("");
  expect(new Set(letters.map(dashOf)).size).toBe(DASHES.length);
  expect(dashOf("Truth")).toBe("");
});

it("reads exact rates", () => {
  expect(rateOf("24000/1001")).toBeCloseTo(23.976, 3);
  expect(frameRate(rateOf("30000/1001"))).toBe("29.97");
  expect(frameRate(rateOf("25/1"))).toBe("25");
});

it("counts timecode without dropping numbers, as SMPTE 12M does at whole rates", () => {
  expect(timecode(0, 25)).toBe("00:00:00:00");
  expect(timecode(25 * 3661 + 7, 25)).toBe("01:01:01:07");
  expect(timecode(24, 24000 / 1001)).toBe("00:00:01:00");
});

it("reads timecodes, the short and the dropping ones too", () => {
  expect(frameOf("01:01:01:07", 25)).toBe(25 * 3661 + 7);
  expect(frameOf("2:13", 24)).toBe(61);
  expect(frameOf("1:00:00", 25)).toBe(1500);
  // SMPTE 12M at 29.97: 00:01:00;02 follows 00:00:59;29, an hour is 107 892 frames (common practice).
  expect(frameOf("00:00:59;29", 30000 / 1001)).toBe(1799);
  expect(frameOf("00:01:00;02", 30000 / 1001)).toBe(1800);
  expect(frameOf("01:00:00;00", 30000 / 1001)).toBe(107892);
  for (const text of ["", "12", "a:b", "1:2:3:4:5"]) expect(frameOf(text, 25)).toBe(null);
  for (const frame of [0, 24, 25, 99999]) expect(frameOf(timecode(frame, 25), 25)).toBe(frame);
});

it("keeps a figure and its unit on one line", () => {
  expect(unbroken("SSIM 0.91, 252 ms a frame, 31 dB")).toBe("SSIM 0.91, 252\u00a0ms a frame, 31\u00a0dB");
});

it("says lengths and data rates", () => {
  expect(lasting(50, 25)).toBe("2.00\u00a0s");
  expect(lasting(25 * 125, 25)).toBe("2\u00a0min 5\u00a0s");
  expect(dataRate(5_143_104)).toBe("5.14 Mbit/s");
  expect(dataRate(640_000)).toBe("640 kbit/s");
});

it("tells small amounts with digits that count, large ones without cents", () => {
  expect([0, 0.00001, 0.00123, 0.5, 12.345, 4321.5].map(money)).toEqual([
    "0",
    "< 0.0001",
    "0.0012",
    "0.50",
    "12.35",
    "4322",
  ]);
});
