import type { Entry, Measure, Score } from "../../api/client";

/** One reason for all entries that a measure gives no figure: said once, not in every cell. */
export function commonNote(entries: Entry[], measure: Measure): string | null {
  const notes = new Set(entries.map((entry) => entry.scores[measure.id]?.note ?? ""));
  const [note] = notes;
  return notes.size === 1 && note ? note : null;
}

/** Which side of a measure is better, in words; empty where nobody can tell. */
export function aim({ better }: Measure): string {
  if (!better) return "";
  return better.startsWith("nearer") ? `best ${better}` : `${better} is better`;
}

/** The most that a figure can be, where it cannot be told any better. */
export function atMost({ parts }: Score, measure: Measure): string | null {
  const most = parts["at most"];
  return most == null ? null : `≤ ${most.toFixed(measure.digits)}`;
}
