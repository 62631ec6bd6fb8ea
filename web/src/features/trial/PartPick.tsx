import { useState } from "react";
import { thumbnail, type Source } from "../../api/client";
import { PartPlayer } from "./PartPlayer";
import { frameOf, frameRate, lasting, rateOf, timecode } from "../../ui/format";
import { FIELD } from "../../ui/parts";

/** A part of a clip: its first frame and how many. */
export interface Part {
  first: number;
  frames: number;
}

const LONGEST = 600;
const SECONDS = 2;

/** All of a still; of a clip about two seconds from its middle. */
export function usualPart(source: Source | undefined): Part {
  const count = source?.facts?.frames ?? 1;
  const frames = Math.min(count, LONGEST, Math.max(1, Math.round(SECONDS * rateOf(source?.facts?.rate))));
  return { first: Math.floor((count - frames) / 2), frames };
}

interface Props {
  source: Source;
  part: Part;
  change: (part: Part) => void;
}

/** First frames of shots that begin within a part: where it spans a cut. */
export function cutsWithin(part: Part, shots: number[]): number[] {
  return shots.filter((shot) => shot > part.first && shot < part.first + part.frames);
}

interface TimecodeProps {
  name: string;
  value: number;
  rate: number;
  set: (frame: number) => void;
}

/** The timecode of a frame, which can be typed over; what is no timecode goes back. */
function Timecode({ name, value, rate, set }: TimecodeProps) {
  const [text, setText] = useState(timecode(value, rate));
  const take = () => {
    const frame = frameOf(text, rate);
    if (frame === null || frame === value) setText(timecode(value, rate));
    else set(frame);
  };
  return (
    <input
      aria-label={`${name}: timecode`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => event.key === "Enter" && take()}
      className={`${FIELD} text-right`}
    />
  );
}

/** Parts worth trying, with a word why; one press takes one. */
function Worth({ source, part, change }: Props) {
  const stretches = source.facts?.stretches ?? [];
  if (stretches.length === 0) return null;
  return (
    <div className="mt-2 flex flex-wrap items-center gap-x-2 gap-y-1 text-small">
      <span className="text-soft">Worth trying:</span>
      {stretches.map(({ first, frames, reason }) => (
        <button
          key={first}
          type="button"
          aria-pressed={first === part.first && frames === part.frames}
          onClick={() => change({ first, frames })}
          className="rounded-sm border border-line bg-sheet px-2 py-0.5 hover:border-ink aria-pressed:border-accent aria-pressed:bg-wash"
        >
          {reason}
        </button>
      ))}
    </div>
  );
}

/** In and out on a filmstrip and a small player: drag, step and mark by keys, or type frame numbers. */
export function PartPick({ source, part, change }: Props) {
  const { facts } = source;
  const [at, show] = useState(part.first);
  if (!facts || facts.frames < 2 || !source.picture_id) return null;
  const count = facts.frames;
  const rate = rateOf(facts.rate);
  const last = part.first + part.frames - 1;
  const cuts = cutsWithin(part, facts.shots ?? []);
  const setIn = (first: number) => {
    const start = Math.min(Math.max(0, first), count - 1);
    const end = Math.min(Math.max(last, start), start + LONGEST - 1);
    change({ first: start, frames: end - start + 1 });
    show(start);
  };
  const setOut = (out: number) => {
    const end = Math.min(Math.max(0, out), count - 1);
    const start = Math.max(Math.min(part.first, end), end - LONGEST + 1);
    change({ first: start, frames: end - start + 1 });
    show(end);
  };
  const slider = (name: string, value: number, set: (value: number) => void) => (
    <label className="grid grid-cols-[2.5rem_1fr_6rem_7.5rem] items-center gap-3">
      {name}
      <input
        type="range"
        aria-label={`${name} point`}
        min={0}
        max={count - 1}
        value={value}
        onChange={(event) => set(Number(event.target.value))}
        className="accent-accent"
      />
      <input
        type="number"
        aria-label={`${name}: frame number`}
        min={0}
        max={count - 1}
        value={value}
        onChange={(event) => event.target.value && set(Math.round(Number(event.target.value)))}
        className={FIELD}
      />
      <Timecode key={value} name={name} value={value} rate={rate} set={set} />
    </label>
  );
  return (
    <fieldset>
      <legend className="mb-1 text-note text-soft">Part that is tried</legend>
      <div className="relative mb-2 flex h-16 overflow-hidden bg-surround">
        {facts.strip.map((frame) => (
          <img
            key={frame}
            src={thumbnail(source.picture_id ?? "", frame)}
            alt=""
            className="h-full min-w-0 flex-1 object-cover"
          />
        ))}
        {(facts.shots ?? []).slice(1).map((shot) => (
          <div
            key={shot}
            title={`Cut at frame ${shot}`}
            className="absolute inset-y-0 w-0.5 bg-lamp outline outline-room-deep"
            style={{ left: `${(100 * shot) / count}%` }}
          />
        ))}
        <div
          className="absolute inset-y-0 border-x-4 border-accent ring-[60rem] ring-black/55"
          style={{ left: `${(100 * part.first) / count}%`, width: `${(100 * part.frames) / count}%` }}
        />
        <div
          className="absolute inset-y-0 w-0.5 bg-white"
          style={{ left: `${(100 * (at + 0.5)) / count}%` }}
        />
      </div>
      <div className="flex flex-wrap gap-5">
        <PartPlayer source={source} part={part} at={at} show={show} setIn={setIn} setOut={setOut} />
        <div className="min-w-80 flex-1">
          {slider("In", part.first, setIn)}
          {slider("Out", last, setOut)}
          <p className="mt-1 text-small text-soft">
            {part.frames} of {count} frames, {lasting(part.frames, rate)} at {frameRate(rate)} frames/s
            {part.frames === LONGEST && `; a trial takes up to ${LONGEST} frames`}
          </p>
          {cuts.length > 0 && (
            <p className="text-small font-semibold">
              It spans {cuts.length === 1 ? "a cut" : `${cuts.length} cuts`}, at frame {cuts.join(", ")}: what
              is measured over it mixes shots.
            </p>
          )}
          <Worth
            source={source}
            part={part}
            change={(next) => {
              change(next);
              show(next.first);
            }}
          />
        </div>
      </div>
    </fieldset>
  );
}
