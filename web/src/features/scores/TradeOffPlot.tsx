import { CartesianGrid, ErrorBar, ResponsiveContainer, Scatter, ScatterChart, XAxis, YAxis } from "recharts";
import type { Entry, Trial } from "../../api/client";
import { dashOf } from "../../ui/letters";
import { FIELD } from "../../ui/parts";
import { useDraft } from "../../ui/useDraft";
import { axesOf, decades, evenSteps, type Axis } from "./axes";

interface Point {
  letter: string;
  control: boolean;
  x: number;
  y: number;
  /** From the fastest repeat to the slowest, on both sides of the median, where the axis is the time. */
  range?: [number, number];
}

function pointOf(entry: Entry, across: Axis, up: Axis): Point[] {
  const [x, y] = [across.of(entry), up.of(entry)];
  if (x === null || y === null) return [];
  const process = entry.timing?.process ?? [];
  const range = across.id === "time" && process.length > 0;
  return [
    {
      letter: entry.letter,
      control: entry.control !== null,
      x,
      y,
      ...(range && { range: [x - Math.min(...process), Math.max(...process) - x] }),
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

interface AxisPickProps {
  name: string;
  axes: Axis[];
  value: Axis;
  onChange: (id: string) => void;
}

function AxisPick({ name, axes, value, onChange }: AxisPickProps) {
  return (
    <label className="flex items-center gap-1.5 text-small">
      {name}
      <select
        value={value.id}
        onChange={(event) => onChange(event.target.value)}
        className={`${FIELD} max-w-56`}
      >
        {axes.map(({ id, name }) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}

const stepsOf = ({ logarithmic }: Axis, values: number[]) =>
  logarithmic && Math.min(...values) > 0 ? decades(values) : evenSteps(values);

/** Two figures of every entry against one another; with time, what none beats in both is joined by a line. */
export function TradeOffPlot({ trial }: { trial: Trial }) {
  const [chosen, choose] = useDraft(`plot:${trial.id}`, { up: trial.lead, across: "time" });
  const axes = axesOf(trial);
  const find = (id: string, otherwise: Axis | undefined) => axes.find((axis) => axis.id === id) ?? otherwise;
  const up = find(
    chosen.up,
    axes.find(({ id }) => trial.measures.some((measure) => measure.id === id)),
  );
  const across = find(chosen.across, axes[0]);
  const points = up && across ? trial.entries.flatMap((entry) => pointOf(entry, across, up)) : [];
  if (!up || !across || points.length === 0)
    return <p className="text-soft">The plot appears with the first finished take.</p>;
  const columns = stepsOf(
    across,
    points.flatMap(({ x, range }) => (range ? [x - range[0], x + range[1]] : [x])),
  );
  const rows = stepsOf(
    up,
    points.map(({ y }) => y),
  );
  const joined = across.id === "time" ? (trial.fronts[up.id] ?? []) : [];
  const front = joined.flatMap((letter) => points.filter((point) => point.letter === letter));
  return (
    <figure>
      <figcaption className="mb-1 text-xl font-display font-semibold">One figure against another</figcaption>
      <div className="mb-2 flex flex-wrap gap-x-5 gap-y-1">
        <AxisPick name="Up" axes={axes} value={up} onChange={(id) => choose({ ...chosen, up: id })} />
        <AxisPick
          name="Across"
          axes={axes}
          value={across}
          onChange={(id) => choose({ ...chosen, across: id })}
        />
      </div>
      {joined.length > 0 && (
        <p className="mb-2 text-small text-soft">
          The line joins the entries that none beats in both: {joined.join(", ")}.
        </p>
      )}
      <div className="h-60">
        <ResponsiveContainer>
          <ScatterChart margin={{ top: 12, right: 24, bottom: 24, left: 12 }}>
            <CartesianGrid stroke="var(--color-line)" />
            <XAxis
              type="number"
              dataKey="x"
              scale={across.logarithmic ? "log" : "linear"}
              domain={[columns[0] ?? 0, columns.at(-1) ?? 1]}
              ticks={columns}
              tickFormatter={across.text}
              stroke="var(--color-soft)"
              label={{
                value: labelOf(across),
                position: "insideBottom",
                offset: -14,
                fill: "var(--color-soft)",
              }}
            />
            <YAxis
              type="number"
              dataKey="y"
              width={72}
              scale={up.logarithmic ? "log" : "linear"}
              domain={[rows[0] ?? 0, rows.at(-1) ?? 1]}
              ticks={rows}
              tickFormatter={up.text}
              stroke="var(--color-soft)"
              label={{
                value: labelOf(up),
                angle: -90,
                position: "insideLeft",
                style: { textAnchor: "middle" },
                fill: "var(--color-soft)",
              }}
            />
            <Scatter
              data={front}
              line={{ stroke: "var(--color-accent)", strokeWidth: 2 }}
              shape={() => <g />}
              isAnimationActive={false}
            />
            <Scatter data={points} shape={<Mark />} isAnimationActive={false}>
              {across.id === "time" && (
                <ErrorBar
                  dataKey="range"
                  direction="x"
                  stroke="var(--color-soft)"
                  strokeWidth={1.5}
                  width={5}
                />
              )}
            </Scatter>
          </ScatterChart>
        </ResponsiveContainer>
      </div>
    </figure>
  );
}

const labelOf = ({ name, logarithmic, aim }: Axis) =>
  `${name}${aim && ` (${aim})`}${logarithmic ? ", logarithmic" : ""}`;
