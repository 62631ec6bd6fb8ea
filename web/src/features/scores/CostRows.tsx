import type { Entry, Trial } from "../../api/client";
import { bytes, frameRate, rateOf, seconds } from "../../ui/format";
import { Marked, Row } from "./figures";
import { quantile } from "./overFrames";

const rate = ({ timing }: Entry) =>
  timing?.median != null ? Number((1 / timing.median).toPrecision(3)).toString() : "–";

/** How much of real time a method keeps up with: 1 and more is fast enough to watch. */
const ofRealTime = ({ timing }: Entry, clip: number) =>
  timing?.median != null ? `${Number((1 / timing.median / clip).toPrecision(3))}×` : "–";

/** A time read off the times of all frames, which are there in their order. */
const ofFrames = (entry: Entry, read: (times: number[]) => number) => {
  const times = entry.timing?.process ?? [];
  return times.length > 0 ? seconds(read(times)) : "–";
};
const slow = (times: number[]) =>
  quantile(
    [...times].sort((one, other) => one - other),
    0.95,
  );

/** Rows that only a clip has. */
function ClipCosts({ entries, clip, frames }: { entries: Entry[]; clip: number; frames: number }) {
  const whole = ({ timing }: Entry) => (timing?.median != null ? seconds(timing.median * frames) : "–");
  return (
    <>
      <Row
        id="real-time"
        name={`Of real time, ${frameRate(clip)} frames/s`}
        unit=""
        entries={entries}
        figure={(entry) => ofRealTime(entry, clip)}
      />
      <Row
        id="first-frame"
        name="First frame"
        unit=""
        entries={entries}
        figure={(entry) => ofFrames(entry, (times) => times[0] ?? 0)}
      />
      <Row
        id="slow-frames"
        name="Slowest twentieth from"
        unit="95th percentile"
        entries={entries}
        figure={(entry) => ofFrames(entry, slow)}
      />
      <Row
        id="whole-clip"
        name={`All ${frames} frames of the clip`}
        unit="forecast"
        entries={entries}
        figure={whole}
      />
    </>
  );
}

/** What an entry takes: time, memory, a fee. */
export function CostRows({ entries, trial }: { entries: Entry[]; trial: Trial }) {
  return (
    <tbody>
      <Row
        id="time"
        name={<span className="font-display text-lead font-semibold">Time for one frame</span>}
        unit="median"
        entries={entries}
        figure={({ timing, marks, stated }) =>
          timing?.median != null ? (
            <span title={`± ${seconds((timing.spread ?? 0) / 2)}, half the range of the repeats`}>
              <Marked mark={marks.time}>{seconds(timing.median)}</Marked>
              {marks.time === "other machine" && (
                <span className="block text-note text-soft" title="It is not ranked with the others' times.">
                  other machine
                </span>
              )}
            </span>
          ) : stated?.seconds != null ? (
            <span
              className="text-soft"
              title="Stated, not measured; it is not ranked with the measured times."
            >
              {seconds(stated.seconds / trial.frames)}
              <span className="block text-note">stated</span>
            </span>
          ) : (
            "–"
          )
        }
      />
      <Row id="rate" name="Rate" unit="frames/s" entries={entries} figure={rate} />
      {trial.frames > 1 && (
        <ClipCosts entries={entries} clip={rateOf(trial.rate)} frames={trial.source_frames} />
      )}
      <Row
        id="memory"
        name="Memory, peak"
        unit=""
        entries={entries}
        figure={({ timing }) => (timing?.peak_bytes != null ? bytes(timing.peak_bytes) : "–")}
      />
      {entries.some(({ stated }) => stated?.fee != null) && (
        <Row
          id="fee"
          name="Fee, for all of it"
          unit="stated"
          entries={entries}
          figure={({ stated }) => (stated?.fee != null ? `${stated.fee} ${stated.currency ?? ""}` : "–")}
        />
      )}
    </tbody>
  );
}
