import { describe, expect, it } from "vitest";
import { fromAddress, isForClips, NATIVE, toAddress, UNDAMAGED } from "./setupAddress";

describe("the set-up in the address", () => {
  it("tells only what differs, and comes back whole", () => {
    const setup = { ...UNDAMAGED, factor: 2.5, kernel: "lanczos3" as const, jpeg: 70, half_chroma: true };
    const told = toAddress(setup);
    expect(told).toEqual({ factor: "2.5", kernel: "lanczos3", jpeg: "70", half_chroma: "true" });
    expect(fromAddress(new URLSearchParams(told))).toEqual(setup);
    expect(toAddress(UNDAMAGED)).toEqual({});
  });
  it("knows what only a clip can have", () => {
    const clip = { ...UNDAMAGED, fields: "lower first" as const, hold: true, h264: 28, weave: 1.5 };
    expect(fromAddress(new URLSearchParams(toAddress(clip)))).toEqual(clip);
    expect([isForClips(clip), isForClips({ ...UNDAMAGED, noise: 9, jpeg: 50 })]).toEqual([true, false]);
  });
  it("tells a test without a truth", () => {
    const setup = { test: "no truth", audience: null, factor: 3, target: null } as const;
    expect(fromAddress(new URLSearchParams(toAddress(setup)))).toEqual(setup);
    const print = {
      ...setup,
      target: { kind: "print", side: "width", length: 120, unit: "cm", dpi: 300 },
    } as const;
    expect(fromAddress(new URLSearchParams(toAddress(print)))).toEqual(print);
    expect(fromAddress(new URLSearchParams("test=no+truth&target={"))).toEqual({ ...setup, factor: 2 });
    expect(fromAddress(new URLSearchParams("test=no+truth&factor=x")).factor).toBe(2);
  });
  it("tells a test against a native version, without how that lies", () => {
    const setup = { ...NATIVE, native: "abc", match_colours: true, native_seconds: 56 };
    expect(fromAddress(new URLSearchParams(toAddress({ ...setup, width: 3840, hash: "1" })))).toEqual(setup);
  });
  it("tells the frame that a source is brought to", () => {
    const target = { kind: "frame", width: 1920, height: 1080, fit: "fill" } as const;
    const setup = { ...UNDAMAGED, target };
    expect(fromAddress(new URLSearchParams(toAddress(setup)))).toEqual(setup);
    const print = JSON.stringify({ kind: "print", side: "width", length: 9, unit: "cm", dpi: 300 });
    expect(fromAddress(new URLSearchParams({ target: print }))).toEqual(UNDAMAGED);
  });
  it("tells from where it is looked at", () => {
    const setup = { ...UNDAMAGED, factor: 2, audience: { width: 120, distance: 250.5 } };
    expect(toAddress(setup)).toEqual({ factor: "2", audience: "120,250.5" });
    expect(fromAddress(new URLSearchParams(toAddress(setup)))).toEqual(setup);
    expect(fromAddress(new URLSearchParams("audience=0,5")).audience).toBeNull();
  });
  it("passes over what it cannot read", () => {
    const odd = new URLSearchParams("factor=many&kernel=guess&light=&jpeg=&noise=NaN&test=other&source=1");
    expect(fromAddress(odd)).toEqual(UNDAMAGED);
  });
});
