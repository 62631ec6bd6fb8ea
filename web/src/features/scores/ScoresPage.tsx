import type { Entry, Trial } from "../../api/client";
import { described, percent, seconds } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { ButtonLink } from "../../ui/parts";
import { AtSpots } from "./AtSpots";
import { BreakEven } from "./BreakEven";
import { Beside } from "./Beside";
import { Costs } from "./Costs";
import { ScoreTable } from "./ScoreTable";
import { StandIns } from "./StandIns";
import { TradeOffPlot } from "./TradeOffPlot";

/** What each entry does to the picture, in one sentence with its numbers. */
function InWords({ trial }: { trial: Trial }) {
  return (
    <ul className="space-y-1.5" data-testid="in-words">
      {trial.entries
        .filter((entry) => entry.sentence || entry.findings.length > 0)
        .map((entry) => (
          <li key={entry.letter} className="grid grid-cols-[1.75rem_minmax(0,1fr)] gap-2">
            <LetterPlate letter={entry.letter} />
            <span className="wrap-anywhere">
              <b className="font-semibold">{entry.name}.</b>{" "}
              {entry.findings
                .filter(({ grave }) => grave)
                .map(({ words }) => (
                  <strong key={words} className="font-semibold text-accent-deep">
                    {words}{" "}
                  </strong>
                ))}
              {entry.sentence}
            </span>
          </li>
        ))}
      {trial.same.map(({ first, second }) => (
        <li key={first + second} className="border-l-4 border-accent pl-2">
          {first} and {second} are the same picture: no eye can tell them apart.
        </li>
      ))}
    </ul>
  );
}

/** Letters of entries by the machine that each was timed on. */
function byMachine(entries: Entry[]): [string, string[]][] {
  const found = new Map<string, { name: string; letters: string[] }>();
  for (const { machine, letter } of entries) {
    if (!machine) continue;
    const same = found.get(JSON.stringify(machine)) ?? { name: described(machine), letters: [] };
    found.set(JSON.stringify(machine), { ...same, letters: [...same.letters, letter] });
  }
  return [...found.values()].map(({ name, letters }) => [name, letters]);
}

function TakenOn({ trial }: { trial: Trial }) {
  const done = trial.entries.filter((entry) => entry.machine && entry.timing?.median != null);
  const machine = done[0]?.machine;
  const machines = byMachine(done);
  const disturbed = done.filter((entry) => (entry.timing?.busy_elsewhere ?? 0) > 0.1);
  const clipped = done.filter((entry) => (entry.clipped ?? 0) > 0.001);
  if (!machine) return <p className="text-soft">No take is done yet.</p>;
  return (
    <ul className="space-y-2 text-small">
      <li>
        Times: one frame, {trial.frames > 1 ? `median of ${trial.frames}` : `${trial.plan.repeats} repeats`}{" "}
        on {described(machine)}; {machine.system}. Reading and writing files do not count.
      </li>
      {machines.length > 1 && (
        <li className="border-l-4 border-accent pl-2">
          These times are of {machines.length} machines and cannot be held against one another:{" "}
          {machines.map(([name, letters]) => `${letters.join(", ")} on ${name}`).join("; ")}.
        </li>
      )}
      {done.map(({ letter, timing }) =>
        timing?.machines?.length ? (
          <li key={letter} className="border-l-4 border-accent pl-2">
            {letter} was made on {timing.machines.length} machines:{" "}
            {timing.machines
              .map(
                (one) =>
                  `${one.frames} frames, ${seconds(one.median ?? 0)} each, on ${described(one.machine)}`,
              )
              .join("; ")}
            .
          </li>
        ) : null,
      )}
      <li>
        Scores: the written 16-bit file, decoded again, against the {trial.has_truth ? "truth" : "input"}. The
        shaded columns are controls.
      </li>
      {disturbed.length > 0 && (
        <li className="border-l-4 border-accent pl-2">
          Something else kept the machine busy while{" "}
          {disturbed
            .map((entry) => `${entry.letter} (${percent(entry.timing?.busy_elsewhere ?? 0)})`)
            .join(", ")}{" "}
          ran; take these times with care.
        </li>
      )}
      {clipped.length > 0 && (
        <li>
          Values outside the range had to be clipped at writing:{" "}
          {clipped.map((entry) => `${entry.letter} ${percent(entry.clipped ?? 0)}`).join(", ")}.
        </li>
      )}
    </ul>
  );
}

/** Quality against time and a sentence for each at a glance; all figures below. */
export default function ScoresPage({ trial }: { trial: Trial }) {
  return (
    <div className="px-6 py-4">
      <title>{`Scores of ${trial.name} – Mistline`}</title>
      <div className="mb-3 flex items-end justify-between">
        <h2 className="text-2xl font-semibold">Scores</h2>
        <span className="flex gap-2">
          <a
            className="px-2 py-1.5 text-accent-deep underline-offset-4 hover:underline"
            href={`/api/trials/${trial.id}/scores.csv`}
            download
          >
            CSV
          </a>
          <a
            className="px-2 py-1.5 text-accent-deep underline-offset-4 hover:underline"
            href={`/api/trials/${trial.id}/scores.json`}
            download
          >
            JSON
          </a>
          <ButtonLink tone="main" to={`/trials/${trial.id}/verdict`}>
            Write the verdict
          </ButtonLink>
        </span>
      </div>
      <div className="flex flex-wrap items-start gap-x-8 gap-y-6">
        <div className="relative max-h-[calc(100dvh-13rem)] max-w-full overflow-auto">
          <ScoreTable trial={trial} />
        </div>
        {/* Beside the table where that leaves room, below it with many entries. */}
        <div className="grid min-w-0 flex-1 basis-70 grid-cols-[repeat(auto-fit,minmax(min(100%,30rem),1fr))] gap-x-8 gap-y-6">
          <section className="min-w-0">
            <h2 className="mb-2 text-xl font-semibold">What each one does</h2>
            <InWords trial={trial} />
          </section>
          <TradeOffPlot trial={trial} />
        </div>
      </div>
      <Beside trial={trial} />
      <BreakEven trial={trial} />
      <Costs trial={trial} />
      {!trial.has_truth && <StandIns trial={trial} />}
      <section className="mt-6">
        <h2 className="mb-2 text-xl font-semibold">At the spots</h2>
        <AtSpots trial={trial} />
      </section>
      <section className="mt-6 max-w-3xl space-y-2">
        <h2 className="text-xl font-semibold">How this was measured</h2>
        <TakenOn trial={trial} />
      </section>
    </div>
  );
}
