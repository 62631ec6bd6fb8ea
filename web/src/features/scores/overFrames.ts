import type { Measure } from "../../api/client";

/** The value that a share of sorted values lies below, between neighbours by straight lines. */
export function quantile(sorted: number[], share: number): number {
  const place = share * (sorted.length - 1);
  const low = sorted[Math.floor(place)] ?? NaN;
  const high = sorted[Math.ceil(place)] ?? NaN;
  return low + (place - Math.floor(place)) * (high - low);
}

/** What a mean over frames hides: the middle nine tenths, and the worst frame. Empty for a still. */
export function overFrames(
  frames: (number | null)[] | null | undefined,
  measure: Measure,
  first: number,
): string[] {
  const known = (frames ?? []).filter((value) => value !== null);
  if (!frames || known.length < 2) return [];
  const sorted = [...known].sort((one, other) => one - other);
  const figure = (value: number) => value.toFixed(measure.digits);
  const worst = measure.better === "higher" ? Math.min(...known) : Math.max(...known);
  const read = known.length === frames.length ? `${known.length}` : `${known.length} of ${frames.length}`;
  return [
    `mean over ${read} frames, nine tenths from ${figure(quantile(sorted, 0.05))} to ${figure(quantile(sorted, 0.95))}`,
    `${measure.better ? "worst" : "most"} ${figure(worst)} at frame ${first + frames.indexOf(worst)}`,
  ];
}
