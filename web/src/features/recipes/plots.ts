import type { Found } from "../../api/fingerprints";
import type { Axis, Line } from "./Curves";

interface Plot {
  title: string;
  lines: Line[];
  across: Axis;
  up: Axis;
}

/** What is drawn: the methods by name, one or two. */
export type Named = { name: string; found: Found }[];

const SHARES: Axis["ticks"] = [
  [0, "0"],
  [0.5, "50 %"],
  [1, "100 %"],
];

const pairs = (list: number[][]) => list.map(([x = 0, y = 0]) => [x, y] as const);

/** One line a method where there are two; where there is one, the lines that it has. */
const linesOf = (named: Named, of: (found: Found) => Line[]): Line[] =>
  named.length === 1
    ? named.flatMap(({ found }) => of(found))
    : named.map(({ name, found }, at) => ({ name, points: of(found)[0]?.points ?? [], dashed: at > 0 }));

export const stepPlot = (named: Named): Plot => ({
  title: "Across an edge, from dark to bright",
  lines: linesOf(named, (found) => [{ name: "after", points: pairs(found.step) }]),
  across: { from: -4, to: 4, ticks: [-4, -2, 0, 2, 4], name: "input pixels" },
  up: {
    from: -0.3,
    to: 1.3,
    ticks: [
      [0, "dark"],
      [1, "bright"],
    ],
    name: "",
  },
});

export const responsePlot = (named: Named): Plot => ({
  title: "What is left of fine patterns",
  lines: linesOf(named, (found) => [
    { name: "upright", points: found.response.map((one) => [one.frequency, one.across]) },
    { name: "diagonal", points: found.response.map((one) => [one.frequency, one.diagonal]), dashed: true },
  ]),
  across: { from: 0, to: 0.5, ticks: [0, 0.1, 0.2, 0.3, 0.4, 0.5], name: "cycles an input pixel" },
  up: { from: 0, to: 1.5, ticks: SHARES, name: "" },
});

export const spectrumPlot = (named: Named): Plot => ({
  title: "Contrast of an edge, up to what the result can hold",
  lines: linesOf(named, (found) => [{ name: "edge", points: pairs(found.edge_spectrum) }]),
  across: {
    from: 0,
    to: Math.max(...named.map(({ found }) => found.factor)) / 2,
    ticks: [0, 0.5, 1, 1.5, 2].filter((tick) => named.every(({ found }) => tick <= found.factor / 2)),
    name: "cycles an input pixel",
  },
  up: { from: 0, to: 1.5, ticks: SHARES, name: "" },
});

const BANDS = ["1/32 to 1/16", "1/16 to 1/8", "1/8 to 1/4", "1/4 to 1/2"];

/** Bands without a figure are left out. */
const byBand = (gains: Record<string, number>) =>
  BANDS.flatMap((band, at) => (gains[band] === undefined ? [] : [[at, gains[band]] as const]));

export const noisePlot = (named: Named): Plot => ({
  title: "What is left of noise, from coarse to fine",
  lines: linesOf(named, ({ noise_bands, coarse_bands }) => [
    { name: "fine noise", points: byBand(noise_bands) },
    { name: "coarse noise", points: byBand(coarse_bands), dashed: true },
  ]),
  across: {
    from: 0,
    to: 3,
    ticks: [
      [0, "coarsest"],
      [3, "finest"],
    ],
    name: "",
  },
  up: { from: 0, to: 2, ticks: SHARES, name: "" },
});

const CODE = 255;

export const tonePlot = (named: Named): Plot => ({
  title: "Change of greys, in code values",
  lines: linesOf(named, ({ greys }) => [
    { name: "change", points: pairs(greys).map(([level, after]) => [level, (after - level) * CODE]) },
  ]),
  across: {
    from: 0,
    to: 1,
    ticks: [
      [0, "black"],
      [1, "white"],
    ],
    name: "",
  },
  up: { from: -10, to: 10, ticks: [-10, -5, 0, 5, 10], name: "" },
});

export const PLOTS = [stepPlot, responsePlot, spectrumPlot, noisePlot, tonePlot];
