import { CartesianGrid, ErrorBar, ResponsiveContainer, Scatter, ScatterChart, XAxis, YAxis } from "recharts";
import type { Entry, Trial } from "../../api/client";
import { seconds } from "../../ui/format";
import { dashOf } from "../../ui/letters";

interface Point {
  letter: string;
  control: boolean;
  time: number;
  ssim: number;
  range: [number, number];
}

function pointOf(entry: Entry): Point[] {
  const { timing } = entry;
  const ssim = entry.scores.ssim?.value;
  if (timing?.median == null || ssim == null) return [];
  const process = timing.process ?? [];
  return [
    {
      letter: entry.letter,
      control: entry.control !== null,
      time: timing.median,
      ssim,
      range: [timing.median - Math.min(...process), Math.max(...process) - timing.median],
    },
  ];
}

function Mark({ cx = 0, cy = 0, payload }: { cx?: number; cy?: number; payload?: Point }) {
  if (!payload) return null;
  return (
    <g opacity={payload.control ? 0.65 : 1}>
      <rect
        x={cx - 10}
        y={cy - 10}
        width={20}
        height={20}
        rx={2}
        fill="var(--color-sheet)"
        stroke="var(--color-ink)"
        strokeWidth={1.8}
        strokeDasharray={dashOf(payload.letter)}
      />
      <text x={cx} y={cy + 4.5} textAnchor="middle" fontSize={13} fontWeight={700} fill="var(--color-ink)">
        {payload.letter}
      </text>
    </g>
  );
}

/** A decade ladder of 1-2-5 steps that spans the times. */
function ticks(low: number, high: number): number[] {
  const steps: number[] = [];
  for (let power = -4; power < 6; power++) for (const step of [1, 2, 5]) steps.push(step * 10 ** power);
  const from = steps.findLastIndex((step) => step <= low);
  return steps.slice(Math.max(0, from), steps.findIndex((step) => step >= high) + 1);
}

/** Even steps that enclose the values, about five of them. */
function evenTicks(values: number[]): number[] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const step =
    [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2].find((size) => (high - low) / size <= 4) ?? 0.25;
  const first = Math.floor(low / step - 0.25);
  const count = Math.ceil(high / step + 0.25) - first;
  return Array.from({ length: count + 1 }, (_, index) => Number(((first + index) * step).toFixed(3)));
}

/** SSIM against time, with the trade-off front: nothing on the line is beaten in both. */
export function TradeOffPlot({ trial }: { trial: Trial }) {
  const points = trial.entries.flatMap(pointOf);
  if (points.length === 0) return <p className="text-soft">The plot appears with the first finished take.</p>;
  const times = ticks(
    Math.min(...points.map(({ time, range }) => time - range[0])),
    Math.max(...points.map(({ time, range }) => time + range[1])),
  );
  const grades = evenTicks(points.map((point) => point.ssim));
  const front = trial.front.flatMap((letter) => points.filter((point) => point.letter === letter));
  return (
    <figure>
      <figcaption className="mb-1 text-xl font-display font-semibold">Structure kept against time</figcaption>
      <p className="mb-2 text-[14px] text-soft">
        Up is closer to the truth, left is faster. The line joins the entries that none beats in both:{" "}
        {trial.front.join(", ")}.
      </p>
      <div className="h-60">
        <ResponsiveContainer>
          <ScatterChart margin={{ top: 12, right: 24, bottom: 24, left: 12 }}>
            <CartesianGrid stroke="var(--color-line)" />
            <XAxis
              type="number"
              dataKey="time"
              scale="log"
              domain={[times[0] ?? 0.01, times.at(-1) ?? 1]}
              ticks={times}
              tickFormatter={seconds}
              stroke="var(--color-soft)"
              label={{
                value: "time for one frame (logarithmic)",
                position: "insideBottom",
                offset: -14,
                fill: "var(--color-soft)",
              }}
            />
            <YAxis
              type="number"
              dataKey="ssim"
              width={64}
              domain={[grades[0] ?? 0, grades.at(-1) ?? 1]}
              ticks={grades}
              tickFormatter={(value: number) => value.toFixed(3)}
              stroke="var(--color-soft)"
              label={{ value: "SSIM", angle: -90, position: "insideLeft", fill: "var(--color-soft)" }}
            />
            <Scatter
              data={front}
              line={{ stroke: "var(--color-accent)", strokeWidth: 2 }}
              shape={() => <g />}
              isAnimationActive={false}
            />
            <Scatter data={points} shape={<Mark />} isAnimationActive={false}>
              <ErrorBar
                dataKey="range"
                direction="x"
                stroke="var(--color-soft)"
                strokeWidth={1.5}
                width={5}
              />
            </Scatter>
          </ScatterChart>
        </ResponsiveContainer>
      </div>
    </figure>
  );
}
