import { useState } from "react";
import { Link } from "react-router";
import type { Trial } from "../../api/client";
import { useAllSpotScores, useSpots, useSpotsInWords } from "../../api/marks";
import { LetterPlate } from "../../ui/LetterPlate";
import { FIELD } from "../../ui/parts";
import { CELL, Figure } from "./figures";

/** One measure at every spot, and what the spots together say. */
export function AtSpots({ trial }: { trial: Trial }) {
  const spots = useSpots(trial.id).data ?? [];
  const [asked, choose] = useState<string | null>(null);
  const done = trial.entries.filter(({ state }) => state === "done");
  const found = useAllSpotScores(trial.id, done.length > 0 ? spots.map(({ id }) => id) : [], done.length);
  const measured = found.filter(({ data }) => data).length;
  const there = ({ id }: { id: string }) =>
    found.some(({ data }) => data?.some(({ scores }) => scores[id]?.value != null));
  const telling = [trial.lead, ...trial.evidence, ...trial.measures.map(({ id }) => id)];
  const chosen = asked ?? (measured > 0 ? telling.find((id) => there({ id })) : null) ?? trial.lead;
  const words = useSpotsInWords(trial.id, chosen, measured).data ?? [];
  const measure = trial.measures.find(({ id }) => id === chosen);
  if (spots.length === 0 || !measure)
    return (
      <p className="text-soft">
        No spots yet.{" "}
        <Link className="text-accent-deep underline" to={`/trials/${trial.id}/look?side=spots`}>
          Mark some on Look
        </Link>
        , and every entry is judged at each of them.
      </p>
    );
  return (
    <>
      <label className="mb-2 inline-flex items-center gap-2">
        Measure
        <select value={chosen} onChange={(event) => choose(event.target.value)} className={FIELD}>
          {trial.measures.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
      </label>
      <div className="relative overflow-x-auto">
        <table data-testid="at-spots">
          <thead>
            <tr>
              <td />
              {done.map((entry) => (
                <th key={entry.letter} scope="col" title={entry.name} className={CELL}>
                  <span className="inline-block">
                    <LetterPlate letter={entry.letter} />
                  </span>
                  <span className="sr-only">
                    {entry.letter} {entry.name}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {spots.map((spot, at) => (
              <tr key={spot.id} className="border-t border-line">
                <th scope="row" className="py-0.5 pr-4 text-left font-normal">
                  <Link
                    className="underline decoration-line underline-offset-4 hover:decoration-ink"
                    to={`/trials/${trial.id}/look?x=${spot.left + spot.width / 2}&y=${spot.top + spot.height / 2}&z=1&frame=${spot.frame}`}
                  >
                    {spot.name}
                  </Link>
                </th>
                {done.map(({ letter, control }) => {
                  const entry = found[at]?.data?.find((one) => one.letter === letter);
                  return (
                    <td key={letter} className={`${CELL} ${control ? "bg-sheet text-soft" : ""}`}>
                      {entry ? <Figure entry={entry} measure={measure} first={trial.first} /> : "…"}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <ul className="mt-2 space-y-1" aria-label="What the spots say">
        {words.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </ul>
    </>
  );
}
