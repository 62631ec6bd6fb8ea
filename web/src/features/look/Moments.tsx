import { useState } from "react";
import type { Entry, Trial } from "../../api/client";
import { CHIP } from "./chip";
import { SPEEDS, usePlayer } from "../../viewer/player";
import { useViewport } from "../../viewer/viewport";
import { dashOf } from "../../ui/letters";
import { frameRate, timecode } from "../../ui/format";

const WIDTH = 1000;
const HEIGHT = 64;

interface Line {
  entry: Entry;
  values: (number | null)[];
}

const known = (values: (number | null)[]) => values.filter((value) => value !== null);

function pathOf(values: (number | null)[], low: number, high: number): string {
  const step = WIDTH / values.length;
  let drawing = false;
  return values
    .map((value, frame) => {
      if (value === null) return ""; // what is read on every n-th frame is joined by straight lines
      const y = HEIGHT - 4 - ((value - low) / (high - low || 1)) * (HEIGHT - 8);
      const piece = `${drawing ? "L" : "M"}${((frame + 0.5) * step).toFixed(1)} ${y.toFixed(1)}`;
      drawing = true;
      return piece;
    })
    .join("");
}

/** The frame where an entry is worst by a measure; null where none can be told. */
function worstOf(values: (number | null)[], higherIsBetter: boolean): number | null {
  const there = known(values);
  if (there.length === 0) return null;
  return values.indexOf(higherIsBetter ? Math.min(...there) : Math.max(...there));
}

/** A measure over the frames for every entry; a click goes to the frame. */
function Trace({ trial }: { trial: Trial }) {
  const frame = useViewport((view) => view.frame);
  const seek = usePlayer((player) => player.seek);
  const [from, to] = [usePlayer((player) => player.from), usePlayer((player) => player.to)];
  const [chosen, choose] = useState(trial.lead);
  // One that is read on a single frame has no course to trace.
  const measures = trial.measures.filter((measure) =>
    trial.entries.some((entry) => known(entry.scores[measure.id]?.frames ?? []).length > 1),
  );
  const measure = measures.find(({ id }) => id === chosen) ?? measures[0];
  if (!measure) return <p className="px-4 py-2 text-note text-lamp-soft">No frame has been measured yet.</p>;
  const lines: Line[] = trial.entries
    .filter((entry) => entry.control !== "truth")
    .flatMap((entry) => {
      const values = entry.scores[measure.id]?.frames;
      return values && known(values).length > 0 ? [{ entry, values }] : [];
    });
  const every = lines.flatMap(({ values }) => known(values));
  const [low, high] = [Math.min(...every), Math.max(...every)];
  const at = (x: number) => ((x + 0.5) * WIDTH) / trial.frames;
  return (
    <div className="flex items-stretch gap-3 px-4 pb-2">
      <div className="flex w-44 shrink-0 flex-col justify-between text-note">
        <select
          aria-label="Measure over the frames"
          value={measure.id}
          onChange={(event) => choose(event.target.value)}
          className="w-full rounded-sm border border-room-line bg-room px-1 py-0.5"
        >
          {measures.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
        <p className="text-lamp-soft">
          {Number(low.toPrecision(3))} to {Number(high.toPrecision(3))} {measure.unit}
        </p>
      </div>
      <svg
        role="img"
        aria-label={`${measure.name} over the frames`}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        className="h-16 min-w-0 flex-1 cursor-pointer bg-room"
        onPointerDown={(event) => {
          const box = event.currentTarget.getBoundingClientRect();
          seek(Math.floor(((event.clientX - box.left) / box.width) * trial.frames));
        }}
      >
        <rect
          x={(from * WIDTH) / trial.frames}
          width={((to - from) * WIDTH) / trial.frames}
          height={HEIGHT}
          fill="#454545"
        />
        {lines.map(({ entry, values }) => {
          const worst = worstOf(values, measure.better === "higher");
          return (
            <g key={entry.letter} stroke="#e0e0e0" fill="none">
              <title>{`${entry.letter} ${entry.name}`}</title>
              <path
                d={pathOf(values, low, high)}
                strokeWidth="1.5"
                strokeDasharray={dashOf(entry.letter)}
                vectorEffect="non-scaling-stroke"
              />
              {worst !== null && (
                <line
                  x1={at(worst)}
                  x2={at(worst)}
                  y1={HEIGHT - 8}
                  y2={HEIGHT}
                  strokeWidth="3"
                  vectorEffect="non-scaling-stroke"
                />
              )}
            </g>
          );
        })}
        <line
          x1={at(frame)}
          x2={at(frame)}
          y1="0"
          y2={HEIGHT}
          stroke="#ffffff"
          strokeWidth="2"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <ul className="grid w-40 shrink-0 grid-cols-2 content-start gap-x-2 text-fine text-lamp-soft">
        {lines.map(({ entry, values }) => (
          <li key={entry.letter} className="flex items-center gap-1" title={entry.name}>
            <svg viewBox="0 0 22 6" className="h-1.5 w-6" aria-hidden="true">
              <line
                x2="22"
                y1="3"
                y2="3"
                stroke="#e0e0e0"
                strokeWidth="2"
                strokeDasharray={dashOf(entry.letter)}
              />
            </svg>
            {entry.letter} {values[frame] == null ? "–" : Number(values[frame]?.toPrecision(3))}
          </li>
        ))}
      </ul>
    </div>
  );
}

function Told() {
  const { from, to, playing, length, loaded, rate, speed, reached } = usePlayer();
  if (!playing) return null;
  const cut = length < to - from ? ` (of ${to - from}; no more fit in memory at this zoom)` : "";
  if (loaded < length) return <span role="status">{`Fetching frames: ${loaded} of ${length}${cut}`}</span>;
  if (reached === null) return <span role="status">{`Playing ${length} frames${cut}`}</span>;
  const short = reached < 0.97 * rate * speed;
  return (
    <span role="status">
      {`${reached.toFixed(1)} frames/s shown, ${length} frames${cut}`}
      {short && `; ${frameRate(rate * speed)} wanted: this machine leaves frames out, in all panes alike`}
    </span>
  );
}

/** The moment of all panes: play, step, in and out, and a measure over the frames. */
export function Moments({ trial }: { trial: Trial }) {
  const { wanted, frames, rate, from, to, playing, speed, seek, step, toggle, setSpeed, markIn, markOut } =
    usePlayer();
  const shown = useViewport((view) => view.frame);
  const frame = playing ? shown : wanted;
  return (
    <section aria-label="Frames" className="shrink-0 bg-room-raised text-small text-lamp">
      <div className="flex items-center gap-x-4 px-4 py-1">
        <div className="flex">
          <button type="button" className={CHIP} onClick={() => step(-1)} title="Left arrow">
            Back
          </button>
          <button type="button" className={CHIP} aria-pressed={playing} onClick={toggle} title="Space">
            {playing ? "Stop" : "Play"}
          </button>
          <button type="button" className={CHIP} onClick={() => step(1)} title="Right arrow">
            Forward
          </button>
        </div>
        <input
          type="range"
          aria-label="Frame"
          min={0}
          max={frames - 1}
          value={frame}
          onChange={(event) => seek(Number(event.target.value))}
          className="min-w-32 flex-1 accent-lamp"
        />
        <span className="w-72 shrink-0 tabular-nums">
          Frame <b data-testid="frame">{trial.first + frame}</b>, {frame + 1} of {frames},{" "}
          {timecode(trial.first + frame, rate)}
        </span>
        <div className="flex shrink-0">
          <button type="button" className={CHIP} onClick={markIn} title="Shift I">
            In {trial.first + from}
          </button>
          <button type="button" className={CHIP} onClick={markOut} title="Shift O">
            Out {trial.first + to - 1}
          </button>
        </div>
        <div role="group" aria-label="Rate" className="flex shrink-0">
          {SPEEDS.map((value) => (
            <button
              key={value}
              type="button"
              className={CHIP}
              aria-pressed={speed === value}
              onClick={() => setSpeed(value)}
            >
              {value === 1 ? `${frameRate(rate)}/s` : value === 0.5 ? "1/2" : "1/4"}
            </button>
          ))}
        </div>
      </div>
      <p className="min-h-5 px-4 text-note text-lamp-soft">
        <Told />
        {!playing && shown !== wanted && <span role="status">Fetching frame {trial.first + wanted}</span>}
      </p>
      <Trace trial={trial} />
    </section>
  );
}
