/** Where output pixels lie along one axis of a source: the place of the first one's edge, and the length of one. */
export interface Along {
  from: number;
  step: number;
}

/** RGBA bytes of some rows of a source, from row `top` on. */
export interface Band {
  data: Uint8ClampedArray;
  top: number;
  width: number;
}

/** The source pixels under output pixels `first` to `last` - 1, and how much of the output pixel each covers. */
function covering({ from, step }: Along, length: number, first: number, last: number) {
  return Array.from({ length: Math.max(0, last - first) }, (_, index) => {
    const low = Math.max(0, from + (first + index) * step);
    const high = Math.min(length, from + (first + index + 1) * step);
    const start = Math.floor(low);
    const count = Math.max(0, Math.ceil(high) - start);
    const weights = Array.from(
      { length: high > low ? count : 0 },
      (_, tap) => (Math.min(high, start + tap + 1) - Math.max(low, start + tap)) / step,
    );
    return { start, weights };
  });
}

/**
 * Each output pixel as the mean of the source over its area, in code values; what lies outside the source counts as
 * the surround. Fills rows `first` to `last` - 1 of `out`, RGBA bytes, `width` pixels wide.
 */
export function areaMean(
  band: Band,
  height: number,
  across: Along,
  down: Along,
  out: { data: Uint8ClampedArray; width: number },
  first: number,
  last: number,
  surround: readonly number[],
) {
  const columns = covering(across, band.width, 0, out.width);
  const rows = covering(down, height, first, last);
  const sums = new Float32Array(band.width * 3);
  const covered = columns.map(({ weights }) => weights.reduce((sum, weight) => sum + weight, 0));
  const [left = 0, right = 0] = [
    columns.find(({ weights }) => weights.length)?.start,
    Math.max(0, ...columns.map(({ start, weights }) => (weights.length ? start + weights.length : 0))),
  ];
  rows.forEach(({ start, weights }, index) => {
    sums.fill(0);
    weights.forEach((weight, tap) => {
      let from = ((start + tap - band.top) * band.width + left) * 4;
      for (let to = left * 3; to < right * 3; to += 3, from += 4) {
        sums[to] = (sums[to] as number) + weight * (band.data[from] as number);
        sums[to + 1] = (sums[to + 1] as number) + weight * (band.data[from + 1] as number);
        sums[to + 2] = (sums[to + 2] as number) + weight * (band.data[from + 2] as number);
      }
    });
    const inRow = weights.reduce((sum, weight) => sum + weight, 0);
    columns.forEach(({ start: from, weights: taps }, column) => {
      const to = ((first + index) * out.width + column) * 4;
      const rest = 1 - inRow * (covered[column] ?? 0);
      let [red, green, blue] = surround.map((value) => rest * value) as [number, number, number];
      for (let tap = 0; tap < taps.length; tap++) {
        const weight = taps[tap] as number;
        const at = (from + tap) * 3;
        red += weight * (sums[at] as number);
        green += weight * (sums[at + 1] as number);
        blue += weight * (sums[at + 2] as number);
      }
      out.data[to] = red;
      out.data[to + 1] = green;
      out.data[to + 2] = blue;
      out.data[to + 3] = 255;
    });
  });
}

/** The source rows that output rows `first` to `last` - 1 are made of: the first one, and the one after the last. */
export function rowsUnder({ from, step }: Along, length: number, first: number, last: number) {
  const clamp = (place: number) => Math.min(length, Math.max(0, place));
  return [clamp(Math.floor(from + first * step)), clamp(Math.ceil(from + last * step))] as const;
}
