import type { Entry, Measure } from "../../api/client";
import { atMost } from "./notes";
import { overFrames } from "./overFrames";

export const CELL = "min-w-18 px-1.5 py-0.5 text-right whitespace-nowrap";
/** Names stay in sight when many entries scroll past. */
export const FIRST = "sticky left-0 bg-paper py-0.5 pr-2 text-left font-normal";

/** A figure, filled when it is the best of its row and framed when it cannot be told from the best. */
export function Marked({ mark, children }: { mark: string | undefined; children: React.ReactNode }) {
  const look = { best: "bg-ink font-semibold text-sheet", tied: "ring-1 ring-ink ring-inset" }[mark ?? ""];
  const word = { best: ", best", tied: ", tied for best" }[mark ?? ""];
  return (
    <span className={`relative inline-block rounded-sm px-1.5 ${look ?? ""}`}>
      {children}
      {word && <span className="sr-only">{word}</span>}
    </span>
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

/** A row of the table: its name, its unit, a figure for each entry. */
export function Row({ name, unit, entries, figure, id }: RowProps) {
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
