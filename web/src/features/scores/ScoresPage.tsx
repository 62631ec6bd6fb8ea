import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { Entry, Measure, Trial } from "../../api/client";
import { bytes, percent, seconds } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { ButtonLink } from "../../ui/parts";
import { TradeOffPlot } from "./TradeOffPlot";

const CELL = "px-3 py-1 text-right whitespace-nowrap";

function Marked({ mark, children }: { mark: string | undefined; children: React.ReactNode }) {
  if (!mark) return <>{children}</>;
  return (
    <span className={mark === "best" ? "font-bold" : ""}>
      <span
        className={`mr-1.5 rounded-sm border border-ink px-1 text-[12px] font-semibold ${mark === "best" ? "bg-ink text-sheet" : ""}`}
      >
        {mark === "best" ? "best" : "tie"}
      </span>
      {children}
    </span>
  );
}

function Head({ measure }: { measure: Measure }) {
  const aim = measure.better === "nearer to the truth" ? measure.better : `${measure.better} is better`;
  return (
    <th scope="col" className={`${CELL} align-bottom font-medium`}>
      <Popover className="relative">
        <PopoverButton className="underline decoration-dotted underline-offset-4">
          {measure.name}
        </PopoverButton>
        <PopoverPanel
          anchor="bottom end"
          className="z-10 w-72 rounded-sm border border-line bg-sheet p-3 text-left font-normal whitespace-normal shadow-md"
        >
          <p>{measure.meaning}</p>
          <p className="mt-1 text-[13px] text-soft">
            {aim}; closer than {measure.tie} {measure.unit} counts as a tie. Source: {measure.source}.
          </p>
        </PopoverPanel>
      </Popover>
      <span className="block text-[13px] font-normal text-soft">{measure.unit || "0 to 1"}</span>
    </th>
  );
}

function score(entry: Entry, measure: Measure): string {
  if (!(measure.id in entry.scores)) return "–";
  const value = entry.scores[measure.id];
  return value == null ? "identical" : value.toFixed(measure.digits);
}

function Row({ entry, trial }: { entry: Entry; trial: Trial }) {
  const { timing } = entry;
  return (
    <tr className="border-b border-line" data-testid={`scores-${entry.letter}`}>
      <th scope="row" className="px-3 py-1 text-left font-medium">
        <span className="flex items-center gap-2.5">
          <LetterPlate letter={entry.letter} />
          <span className="max-w-48 truncate" title={entry.words}>
            {entry.name}
          </span>
        </span>
      </th>
      {trial.measures.map((measure) => (
        <td key={measure.id} className={CELL}>
          <Marked mark={entry.marks[measure.id]}>{score(entry, measure)}</Marked>
        </td>
      ))}
      <td className={CELL}>
        {timing?.median != null ? (
          <Marked mark={entry.marks.time}>
            {seconds(timing.median)}{" "}
            <span className="font-normal text-soft">± {seconds((timing.spread ?? 0) / 2)}</span>
          </Marked>
        ) : (
          "–"
        )}
      </td>
      <td className={CELL}>{timing?.median != null ? Number((1 / timing.median).toPrecision(3)) : "–"}</td>
      <td className={CELL}>{timing?.peak_bytes != null ? bytes(timing.peak_bytes) : "–"}</td>
    </tr>
  );
}

function Table({ trial }: { trial: Trial }) {
  const racing = trial.entries.filter((entry) => entry.control === null);
  const controls = trial.entries.filter((entry) => entry.control !== null);
  const plain = `${CELL} align-bottom font-medium`;
  return (
    <table className="w-full border-y border-line bg-sheet" data-testid="scores">
      <thead>
        <tr className="border-b border-ink">
          <th scope="col" className="px-3 py-1.5 text-left align-bottom font-medium">
            Entry
          </th>
          {trial.measures.map((measure) => (
            <Head key={measure.id} measure={measure} />
          ))}
          <th scope="col" className={plain}>
            Time<span className="block text-[13px] font-normal text-soft">median ± half range</span>
          </th>
          <th scope="col" className={plain}>
            Rate<span className="block text-[13px] font-normal text-soft">frames/s</span>
          </th>
          <th scope="col" className={plain}>
            Memory<span className="block text-[13px] font-normal text-soft">peak</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {racing.map((entry) => (
          <Row key={entry.letter} entry={entry} trial={trial} />
        ))}
      </tbody>
      <tbody className="border-t-4 border-double border-line text-soft">
        {controls.map((entry) => (
          <Row key={entry.letter} entry={entry} trial={trial} />
        ))}
      </tbody>
    </table>
  );
}

function TakenOn({ trial }: { trial: Trial }) {
  const done = trial.entries.filter((entry) => entry.machine && entry.timing?.median != null);
  const machine = done[0]?.machine;
  const disturbed = done.filter((entry) => (entry.timing?.busy_elsewhere ?? 0) > 0.1);
  const clipped = done.filter((entry) => (entry.clipped ?? 0) > 0.001);
  if (!machine) return <p className="text-soft">No take is done yet.</p>;
  return (
    <ul className="space-y-2 text-[14px]">
      <li>
        Times: one frame, {trial.plan.repeats} repeats on {machine.processor}, {machine.cores} cores,{" "}
        {bytes(machine.memory_bytes)}; {machine.system}. Reading and writing files do not count.
      </li>
      <li>
        Scores: the written 16-bit file, decoded again, against the truth. The rows below the double line are
        controls.
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

/** The table that can be read in five seconds, and quality against time. */
export default function ScoresPage({ trial }: { trial: Trial }) {
  return (
    <div className="px-6 py-4">
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
      <div className="overflow-x-auto">
        <Table trial={trial} />
      </div>
      <div className="mt-4 grid gap-6 lg:grid-cols-[1fr_22rem]">
        <TradeOffPlot trial={trial} />
        <section className="space-y-2">
          <h2 className="text-xl font-semibold">How this was measured</h2>
          <TakenOn trial={trial} />
        </section>
      </div>
    </div>
  );
}
