import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { Link } from "react-router";
import type { Entry, Measure, Trial } from "../../api/client";
import { useRemarks } from "../../api/marks";
import { LetterPlate } from "../../ui/LetterPlate";
import { CostRows } from "./CostRows";
import { CELL, Figure, FIRST, Row } from "./figures";
import { aim, commonNote } from "./notes";

const HELP =
  "z-10 w-80 rounded-sm border border-line bg-sheet p-3 text-left font-normal whitespace-normal shadow-md";

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

/** All figures by heading, entries across; the controls stand apart at the right and are never ranked. */
export function ScoreTable({ trial }: { trial: Trial }) {
  const remarks = useRemarks(trial.id).data ?? [];
  const entries = trial.entries;
  const headings = [...new Set(trial.measures.map((measure) => measure.heading))];
  return (
    <table data-testid="scores">
      <thead className="sticky top-0 z-[1] bg-paper">
        <tr>
          <td colSpan={2} className="max-w-80 min-w-60 pr-3 text-left align-bottom text-note text-soft">
            <span className="rounded-sm bg-ink px-1 text-sheet">filled</span> best,{" "}
            <span className="rounded-sm px-1 ring-1 ring-ink ring-inset">framed</span> cannot be told from it.
            Point at a figure for what is behind it.
          </td>
          {entries.map((entry) => (
            <th
              key={entry.letter}
              scope="col"
              title={`${entry.name}: ${entry.words}`}
              className={`${CELL} ${entry.control ? "bg-sheet" : ""}`}
            >
              <span className="flex justify-end">
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
      <CostRows entries={entries} trial={trial} />
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
