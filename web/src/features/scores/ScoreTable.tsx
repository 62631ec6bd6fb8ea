import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { Link } from "react-router";
import type { Entry, Measure, Trial } from "../../api/client";
import { useRemarks } from "../../api/marks";
import { bytes, frameRate, rateOf, seconds } from "../../ui/format";
import { aim, atMost, commonNote } from "./notes";
import { overFrames, quantile } from "./overFrames";
import { LetterPlate } from "../../ui/LetterPlate";

export const CELL = "min-w-18 px-1.5 py-0.5 text-right whitespace-nowrap";
/** Names stay in sight when many entries scroll past. */
const FIRST = "sticky left-0 bg-paper py-0.5 pr-2 text-left font-normal";
const HELP =
  "z-10 w-80 rounded-sm border border-line bg-sheet p-3 text-left font-normal whitespace-normal shadow-md";

/** A figure, filled when it is the best of its row and framed when it cannot be told from the best. */
function Marked({ mark, children }: { mark: string | undefined; children: React.ReactNode }) {
  const look = { best: "bg-ink font-semibold text-sheet", tied: "ring-1 ring-ink ring-inset" }[mark ?? ""];
  const word = { best: ", best", tied: ", tied for best" }[mark ?? ""];
  return (
    <span className={`relative inline-block rounded-sm px-1.5 ${look ?? ""}`}>
      {children}
      {word && <span className="sr-only">{word}</span>}
    </span>
  );
}

function Name({ measure }: { measure: Measure }) {
  return (
    <Popover className="relative">
      <PopoverButton className="text-left underline decoration-line decoration-dotted underline-offset-4 hover:decoration-ink">
        {measure.name}
      </PopoverButton>
      <PopoverPanel anchor="bottom start" className={HELP}>
        <p>{measure.meaning}</p>
        <p className="mt-1 text-note text-soft">
          {aim(measure) || "no side is known to be better"}; closer than {measure.tie} {measure.unit} counts
          as a tie. Source: {measure.source}.
        </p>
      </PopoverPanel>
    </Popover>
  );
}

/** A figure of an entry with its mark; what lies behind it is one point of the mouse away. */
export function Figure({ entry, measure, first }: { entry: Entry; measure: Measure; first: number }) {
  const score = entry.scores[measure.id];
  if (!score) return <>–</>;
  if (score.note) return <span title={score.note}>{atMost(score, measure) ?? "–"}</span>;
  const parts = Object.entries(score.parts).map(
    ([part, value]) => `${part}: ${value.toFixed(measure.digits)}`,
  );
  return (
    <Marked mark={entry.marks[measure.id]}>
      <span title={[...overFrames(score.frames, measure, first), ...parts].join("\n") || undefined}>
        {score.value == null ? "equal" : score.value.toFixed(measure.digits)}
      </span>
    </Marked>
  );
}

interface RowProps {
  name: React.ReactNode;
  unit: string;
  entries: Entry[];
  figure: (entry: Entry) => React.ReactNode;
  id: string;
}

function Row({ name, unit, entries, figure, id }: RowProps) {
  return (
    <tr className="border-t border-line" data-testid={`scores-${id}`}>
      <th scope="row" className={FIRST}>
        {name}
      </th>
      <td className="pr-3 text-note whitespace-nowrap text-soft">{unit}</td>
      {entries.map((entry) => (
        <td
          key={entry.letter}
          data-letter={entry.letter}
          className={`${CELL} ${entry.control ? "bg-sheet text-soft" : entry.standing === "retired" ? "text-soft" : ""}`}
        >
          {figure(entry)}
        </td>
      ))}
    </tr>
  );
}

function Group({ heading, trial, entries }: { heading: string; trial: Trial; entries: Entry[] }) {
  return (
    <tbody>
      <tr>
        <th
          scope="rowgroup"
          colSpan={2 + entries.length}
          className="pt-3 text-left font-display text-lead font-semibold"
        >
          {heading.charAt(0).toUpperCase() + heading.slice(1)}
        </th>
      </tr>
      {trial.measures
        .filter((measure) => measure.heading === heading)
        .map((measure) => {
          const note = commonNote(entries, measure);
          return note ? (
            <tr key={measure.id} className="border-t border-line" data-testid={`scores-${measure.id}`}>
              <th scope="row" className={FIRST}>
                <Name measure={measure} />
              </th>
              <td colSpan={1 + entries.length} className="text-small text-soft">
                Not measured: {note}.
              </td>
            </tr>
          ) : (
            <Row
              key={measure.id}
              id={measure.id}
              name={<Name measure={measure} />}
              unit={measure.unit}
              entries={entries}
              figure={(entry) => <Figure entry={entry} measure={measure} first={trial.first} />}
            />
          );
        })}
    </tbody>
  );
}

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

function Costs({ entries, trial }: { entries: Entry[]; trial: Trial }) {
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

/** All figures by heading, entries across; the controls stand apart at the right and are never ranked. */
export function ScoreTable({ trial }: { trial: Trial }) {
  const remarks = useRemarks(trial.id).data ?? [];
  const entries = trial.entries;
  const headings = [...new Set(trial.measures.map((measure) => measure.heading))];
  return (
    <table data-testid="scores">
      <thead className="sticky top-0 z-[1] bg-paper">
        <tr>
          <td colSpan={2} className="max-w-80 min-w-72 pr-3 text-left align-bottom text-note text-soft">
            <span className="rounded-sm bg-ink px-1 text-sheet">filled</span> best,{" "}
            <span className="rounded-sm px-1 ring-1 ring-ink ring-inset">framed</span> cannot be told from it.
            Point at a figure for what is behind it.
          </td>
          {entries.map((entry) => (
            <th key={entry.letter} scope="col" className={`${CELL} ${entry.control ? "bg-sheet" : ""}`}>
              <span className="flex justify-end" title={`${entry.name}: ${entry.words}`}>
                <LetterPlate letter={entry.letter} />
                <span className="sr-only">{entry.letter}</span>
              </span>
              <span
                className={`block truncate text-note font-normal text-soft ${entries.length > 8 ? "max-w-16" : "max-w-24"}`}
              >
                {entry.control ? "control" : entry.name}
              </span>
              {entry.standing && (
                <span className="block text-note font-normal" title={entry.standing_reason || undefined}>
                  {entry.standing}
                </span>
              )}
            </th>
          ))}
        </tr>
      </thead>
      <Costs entries={entries} trial={trial} />
      {remarks.length > 0 && (
        <tbody>
          <Row
            id="remarks"
            name={
              <Link
                className="underline decoration-line underline-offset-4 hover:decoration-ink"
                to={`/trials/${trial.id}/look?side=remarks`}
              >
                Remarks
              </Link>
            }
            unit="by eye"
            entries={entries}
            figure={({ letter }) => remarks.filter((remark) => remark.letter === letter).length || "–"}
          />
        </tbody>
      )}
      {headings.map((heading) => (
        <Group key={heading} heading={heading} trial={trial} entries={entries} />
      ))}
    </table>
  );
}
