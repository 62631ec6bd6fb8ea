import type { Cost, Entry, Measure, Trial } from "../../api/client";
import { bytes, money, seconds } from "../../ui/format";
import { aim } from "./notes";

/** What an axis of the plot can show: a cost, or a measure by its id. */
export interface Axis {
  id: string;
  name: string;
  /** The side that is better, in words; empty where no side is known to be. */
  aim: string;
  /** Costs span decades; measures do not. */
  logarithmic: boolean;
  of: (entry: Entry) => number | null;
  text: (value: number) => string;
}

export const COSTS: Axis[] = [
  {
    id: "time",
    name: "time for one frame",
    aim: "less is better",
    logarithmic: true,
    of: ({ timing }) => timing?.median ?? null,
    text: seconds,
  },
  {
    id: "memory",
    name: "memory, peak",
    aim: "less is better",
    logarithmic: true,
    of: ({ timing }) => timing?.peak_bytes ?? null,
    text: bytes,
  },
  {
    id: "size",
    name: "lossless file of the result",
    aim: "less is better",
    logarithmic: true,
    of: ({ file_bytes }) => file_bytes,
    text: bytes,
  },
];

export const axisOf = (measure: Measure): Axis => ({
  id: measure.id,
  name: `${measure.name}${measure.unit && `, ${measure.unit}`}`,
  aim: aim(measure),
  logarithmic: false,
  of: (entry) => {
    const score = entry.scores[measure.id];
    return score && !score.note ? score.value : null;
  },
  text: (value) => value.toFixed(measure.digits),
});

/** Money, where the price book asks for any. */
const moneyAxes = ({ cost }: Trial): Axis[] => {
  const found = new Map(cost.entries.map((one) => [one.letter, one.cost]));
  const axis = (id: string, name: string, of: (one: Cost) => number): Axis => ({
    id,
    name: `${name}, ${cost.currency}`,
    aim: "less is better",
    logarithmic: false,
    of: ({ letter }) => {
      const one = found.get(letter);
      return one ? of(one) : null;
    },
    text: (value) => money(value),
  });
  if (!cost.priced) return [];
  return [
    axis("cost", "cost of one frame", ({ frame }) => frame),
    axis("year", "cost of a year", ({ year }) => year),
  ];
};

/** Costs, and the measures of which a finite value is there. */
export const axesOf = (trial: Trial): Axis[] => {
  const measures = trial.measures.map(axisOf);
  return [...COSTS, ...moneyAxes(trial), ...measures].filter((axis) =>
    trial.entries.some((entry) => axis.of(entry) !== null),
  );
};

/** A ladder of 1-2-5 steps a decade that spans positive values. */
export function decades(values: number[]): number[] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const steps: number[] = [];
  for (let power = Math.floor(Math.log10(low)) - 1; power <= Math.ceil(Math.log10(high)) + 1; power++)
    for (const step of [1, 2, 5]) steps.push(Number(`${step}e${power}`));
  const from = steps.findLastIndex((step) => step <= low);
  const to = steps.findIndex((step) => step >= high);
  return steps.slice(Math.max(0, from), to + 1);
}

/** Even steps of 1, 2 or 5 that enclose values, about five of them; equal values stand in the middle. */
export function evenSteps(values: number[]): number[] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const span = high - low || Math.abs(high) / 10 || 1;
  const power = 10 ** Math.floor(Math.log10(span / 4));
  const step = power * ([1, 2, 5].find((size) => span / (size * power) <= 4) ?? 10);
  const first = Math.floor(low / step - 0.25);
  const last = Math.ceil(high / step + 0.25);
  return Array.from({ length: last - first + 1 }, (_, index) =>
    Number(((first + index) * step).toPrecision(6)),
  );
}
