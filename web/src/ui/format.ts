import type { Machine } from "../api/client";

/** Numbers as people read them: three significant digits, always a unit. */
export function seconds(value: number): string {
  if (value >= 5400) return `${(value / 3600).toFixed(1)} h`;
  if (value >= 90) return `${Math.round(value / 60)} min`;
  return value >= 9.95
    ? `${value.toFixed(0)} s`
    : value >= 0.995
      ? `${value.toFixed(1)} s`
      : `${(value * 1000).toFixed(0)} ms`;
}

export function bytes(value: number): string {
  const units = ["B", "KiB", "MiB", "GiB"];
  const step = Math.min(3, value > 0 ? Math.floor(Math.log2(value) / 10) : 0);
  const scaled = value / 1024 ** step;
  return `${scaled.toFixed(scaled < 10 && step > 0 ? 1 : 0)} ${units[step]}`;
}

export const percent = (share: number) =>
  `${(share * 100).toFixed(share < 0.0995 && share > 0 && share < 1 ? 1 : 0)} %`;

export const described = ({ processor, cores, memory_bytes }: Machine) =>
  `${processor}, ${cores} cores, ${bytes(memory_bytes)}`;

// Code values: that noise is less than that is no news.
const NO_NEWS = 10;

/** The most that noise can be which cannot be told, where that says anything. */
export const atMost = (most?: number | null) =>
  most == null || most >= NO_NEWS ? "not measurable" : `at most ${most.toFixed(1)} cv`;

/** Luma and colour noise; where texture hides it, the most that it can be. */
export function noise(traits: {
  noise_sigma: number | null;
  noise_most?: number | null;
  noise_colour?: number | null;
}): string {
  if (traits.noise_sigma === null) return atMost(traits.noise_most);
  const colour = traits.noise_colour ? `, colour ${traits.noise_colour.toFixed(1)}` : "";
  return `${traits.noise_sigma.toFixed(1)} cv${colour}`;
}

/** An amount without its currency: cents where there are any, more digits where it is small. */
export const money = (value: number): string => {
  if (value === 0) return "0";
  if (value < 0.0001) return "< 0.0001";
  return value < 0.095 ? value.toPrecision(2) : value.toFixed(value < 1000 ? 2 : 0);
};

export const zoomText = (zoom: number) => `${Number((zoom * 100).toPrecision(3))} %`;

export const pixels = (size: { width: number; height: number }) => `${size.width} × ${size.height}`;

export const megapixels = (size: { width: number; height: number }) => {
  const value = (size.width * size.height) / 1e6;
  return `${value.toFixed(value < 10 ? 2 : 1)} MP`;
};

export const timeOfDay = (when: Date) =>
  when.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit" });

export const day = (iso: string) =>
  new Date(iso).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });

/** Frames a second of an exact fraction: "24000/1001" is 23.976; of a still 25, which nothing shows. */
export const rateOf = (text: string | null | undefined) => {
  const [top = 25, below = 1] = (text ?? "25/1").split("/").map(Number);
  return top / below;
};

export const frameRate = (rate: number) => Number(rate.toFixed(3)).toString();

/** Hours, minutes, seconds and frames, counted without dropping numbers (SMPTE 12M non-drop). */
export function timecode(frame: number, rate: number): string {
  const whole = Math.round(rate);
  const all = Math.floor(frame / whole);
  const parts = [Math.floor(all / 3600), Math.floor(all / 60) % 60, all % 60, frame % whole];
  return parts.map((part) => String(part).padStart(2, "0")).join(":");
}

const TIMECODE = /^(?:(\d+):)?(?:(\d+):)?(\d+)([:;])(\d+)$/;

/**
 * The frame that a timecode names, seconds and frames at least ("2:13"), or null. With a semicolon before the frames
 * numbers are dropped: 2 (at 60 frames/s 4) each minute but every tenth (SMPTE 12M).
 */
export function frameOf(text: string, rate: number): number | null {
  const found = TIMECODE.exec(text.trim());
  if (!found) return null;
  const [first, second, third] = [found[1], found[2], found[3]].map((part) => Number(part ?? 0));
  const [hours, minutes] = found[2] === undefined ? [0, first ?? 0] : [first ?? 0, second ?? 0];
  const whole = Math.round(rate);
  const past = 60 * hours + minutes;
  const dropped = found[4] === ";" ? (whole / 15) * (past - Math.floor(past / 10)) : 0;
  return (60 * past + (third ?? 0)) * whole + Number(found[5]) - dropped;
}

/** A figure and its unit stay on one line. */
export const unbroken = (text: string) => text.replaceAll(/(\d) (?=[^\d\s])/g, "$1\u00a0");

/** How long so many frames last. */
export const lasting = (frames: number, rate: number) => {
  const value = frames / rate;
  return unbroken(
    value < 60 ? `${value.toFixed(2)} s` : `${Math.floor(value / 60)} min ${Math.round(value % 60)} s`,
  );
};

export const dataRate = (bits: number) =>
  bits >= 1e6 ? `${Number((bits / 1e6).toPrecision(3))} Mbit/s` : `${Math.round(bits / 1e3)} kbit/s`;
