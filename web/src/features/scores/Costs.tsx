import { useState } from "react";
import { Link } from "react-router";
import type { Trial } from "../../api/client";
import { useSetJob } from "../../api/prices";
import { money, rateOf, seconds } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { FIELD, Trouble } from "../../ui/parts";

const CELL = "pl-6 py-0.5 text-right";

/** The work that the trial is about; kept as soon as a field is left. */
function JobFields({ trial }: { trial: Trial }) {
  const save = useSetJob(trial.id);
  const { job } = trial.cost;
  const [frames, setFrames] = useState(String(job.frames));
  const [often, setOften] = useState(String(job.a_year));
  const keep = () => {
    const next = { frames: Math.round(Number(frames)), a_year: Number(often) };
    const sound = next.frames >= 1 && next.a_year >= 0;
    if (sound && (next.frames !== job.frames || next.a_year !== job.a_year)) save.mutate(next);
  };
  const field = (name: string, value: string, set: (value: string) => void, least: number) => (
    <label className="flex items-center gap-2">
      {name}
      <input
        type="number"
        min={least}
        value={value}
        onChange={(event) => set(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === "Enter" && keep()}
        className={`${FIELD} w-28`}
      />
    </label>
  );
  const moving = trial.rate !== null;
  return (
    <div className="mb-2 flex flex-wrap items-center gap-x-6 gap-y-1">
      {field(moving ? "Frames of the job" : "Pictures of the job", frames, setFrames, 1)}
      {moving && <span className="text-soft">{seconds(job.frames / rateOf(trial.rate))} of footage</span>}
      {field("Times a year", often, setOften, 0)}
      <Trouble error={save.error} />
    </div>
  );
}

/** How long the whole job takes with each entry, and what it costs. */
export function Costs({ trial }: { trial: Trial }) {
  const { cost } = trial;
  const names = new Map(trial.entries.map(({ letter, name }) => [letter, name]));
  if (cost.entries.length === 0) return null;
  const moving = trial.rate !== null;
  return (
    <section className="mt-6" data-testid="costs">
      <h2 className="mb-1 text-xl font-semibold">The whole job: time and cost</h2>
      <JobFields trial={trial} />
      <table>
        <thead>
          <tr className="text-small text-soft">
            <td />
            <th scope="col" className={`${CELL} font-normal`}>
              processing
            </th>
            {cost.priced && (
              <>
                <th scope="col" className={`${CELL} font-normal`}>
                  one {moving ? "frame" : "picture"}
                </th>
                {moving && (
                  <th scope="col" className={`${CELL} font-normal`}>
                    a minute of footage
                  </th>
                )}
                <th scope="col" className={`${CELL} font-normal`}>
                  the job
                </th>
                <th scope="col" className={`${CELL} font-normal`}>
                  a year
                </th>
              </>
            )}
          </tr>
        </thead>
        <tbody>
          {cost.entries.map(({ letter, cost: one, stated, note }) => (
            <tr key={letter} className="border-t border-line">
              <th scope="row" className="flex items-center gap-2 py-0.5 text-left font-normal">
                <LetterPlate letter={letter} /> {names.get(letter)}
                {stated && <span className="text-note text-soft">stated, not measured</span>}
                {note && <span className="text-note text-accent-deep">{note}</span>}
              </th>
              <td className={CELL}>{one.seconds === null ? "–" : seconds(one.seconds)}</td>
              {cost.priced && (
                <>
                  <td className={CELL}>{money(one.frame)}</td>
                  {moving && <td className={CELL}>{one.minute === null ? "–" : money(one.minute)}</td>}
                  <td className={CELL}>{money(one.job)}</td>
                  <td
                    className={CELL}
                    title={one.fixed_a_year > 0 ? `${money(one.fixed_a_year)} of it is fixed` : undefined}
                  >
                    {money(one.year)}
                  </td>
                </>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-small text-soft">
        {cost.priced
          ? `In ${cost.currency}, by the `
          : "Nothing of it has a price yet: say what an hour of the machine, methods and tools cost in the "}
        <Link to="/prices" className="text-accent-deep underline underline-offset-4">
          price book
        </Link>
        . Processing only, one frame after another on one machine; licences and subscriptions stand in the
        year alone.
      </p>
    </section>
  );
}
