import { useState, type ReactNode } from "react";
import type { Entry, Measure, PixelRead, Place, Spot, Trial } from "../../api/client";
import { useDefects, useMarking, usePartScores, usePixel } from "../../api/marks";
import { LetterPlate } from "../../ui/LetterPlate";
import { atMost, commonNote } from "../scores/notes";
import { CHIP, FIELD } from "./chip";
import type { Choice } from "./useLook";

const FIRST = ["ssim", "psnr_luma", "detail_kept", "noise_left", "halo", "ciede2000"];
const BESIDE_INPUT = ["noise_left", "detail_beyond", "edge_width", "halo", "blotch", "ciede2000_soft"];
const SMALLEST = 11; // pixels a side: less is a point, and cannot be measured

/** A figure: filled when it is the best, framed when it cannot be told from the best. */
export function Figure({ entry, measure }: { entry: Entry; measure: Measure }) {
  const score = entry.scores[measure.id];
  if (!score || score.note)
    return <span title={score?.note}>{(score && atMost(score, measure)) ?? "–"}</span>;
  const mark = entry.marks[measure.id];
  const looks: Partial<Record<string, string>> = {
    best: "bg-lamp font-semibold text-room-deep",
    tied: "ring-1 ring-lamp",
  };
  const look = looks[mark ?? ""] ?? "";
  return (
    <span className={`rounded-sm px-1 tabular-nums ${look}`}>
      {score.value == null ? "equal" : score.value.toFixed(measure.digits)}
      {look && <span className="sr-only">{mark === "best" ? ", best" : ", tied for best"}</span>}
    </span>
  );
}

function Figures({ measures, entries }: { measures: Measure[]; entries: Entry[] }) {
  return (
    <table className="text-note">
      <thead className="sticky top-0 bg-room-raised">
        <tr>
          <td />
          {entries.map((entry) => (
            <th key={entry.letter} scope="col" title={entry.name} className="px-2 pb-0.5">
              <span className="inline-block">
                <LetterPlate letter={entry.letter} neutral />
              </span>
              <span className="sr-only">{entry.name}</span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {measures.map((measure) => (
          <tr key={measure.id} data-testid={`part-${measure.id}`}>
            <th
              scope="row"
              title={measure.meaning}
              className="pr-4 text-left font-normal whitespace-nowrap text-lamp-soft"
            >
              {measure.name} {measure.unit && <span className="text-lamp-dim">{measure.unit}</span>}
            </th>
            {commonNote(entries, measure) ? (
              <td colSpan={entries.length} className="px-2 text-lamp-soft">
                Not measured: {commonNote(entries, measure)}
              </td>
            ) : (
              entries.map((entry) => (
                <td key={entry.letter} data-letter={entry.letter} className="px-2 text-center">
                  <Figure entry={entry} measure={measure} />
                </td>
              ))
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const signed = (value: number) => `${value < 0 ? "−" : ""}${Math.abs(value).toFixed(2)}`;

/** The exact values of everything at one pixel. */
function PixelTable({ found }: { found: Record<string, PixelRead> }) {
  const names: Record<string, string> = { truth: "Truth", input: "Input" };
  const apart = "truth" in found;
  return (
    <table className="text-note tabular-nums" data-testid="pixel">
      <thead>
        <tr className="text-left text-lamp-soft">
          <td />
          <th className="pr-6 font-normal">code values</th>
          <th className="pr-6 font-normal">L*, a*, b*</th>
          {apart && <th className="font-normal">ΔE00 from the truth</th>}
        </tr>
      </thead>
      <tbody>
        {Object.entries(found).map(([name, { codes, bits, lab, from_truth }]) => (
          <tr key={name} data-letter={name}>
            <th className="pr-4 text-left">
              <LetterPlate letter={names[name] ?? name} neutral />
            </th>
            <td className="pr-6">
              {codes.join(" ")} <span className="text-lamp-dim">{bits}-bit</span>
            </td>
            <td className="pr-6">{lab.map(signed).join(", ")}</td>
            {apart && <td>{name === "truth" ? "" : from_truth?.toFixed(2)}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function SpotForm({ trial, part, spot }: { trial: Trial; part: Place; spot: (made: Spot) => void }) {
  const [name, setName] = useState("");
  const { addSpot } = useMarking(trial.id);
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) addSpot.mutate({ ...part, name, note: "" }, { onSuccess: spot });
      }}
    >
      <input
        aria-label="Name of the spot"
        placeholder="Name it: hedge, eye, board"
        maxLength={80}
        value={name}
        onChange={(event) => setName(event.target.value)}
        className={`${FIELD} w-48`}
      />
      <button type="submit" className={CHIP} disabled={!name.trim()}>
        Make it a spot
      </button>
      {addSpot.error && <span role="alert">{addSpot.error.message}</span>}
    </form>
  );
}

function RemarkForm({ trial, part, choice }: { trial: Trial; part: Place; choice: Choice }) {
  const [defect, setDefect] = useState("");
  const [severity, setSeverity] = useState(2);
  const defects = useDefects().data ?? [];
  const { addRemark } = useMarking(trial.id);
  if (choice.id.length > 1) return null;
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (defect.trim())
          addRemark.mutate(
            { ...part, letter: choice.id, defect: defect.trim(), severity, note: "" },
            { onSuccess: () => setDefect("") },
          );
      }}
    >
      <label className="flex items-center gap-1">
        Remark on {choice.plate}
        <input
          list="defects"
          placeholder="what is wrong"
          maxLength={60}
          value={defect}
          onChange={(event) => setDefect(event.target.value)}
          className={`${FIELD} w-40`}
        />
      </label>
      <datalist id="defects">
        {defects.map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
      <select
        aria-label="Severity"
        value={severity}
        onChange={(event) => setSeverity(Number(event.target.value))}
        className={FIELD}
      >
        <option value={1}>slight</option>
        <option value={2}>disturbs</option>
        <option value={3}>rules it out</option>
      </select>
      <button type="submit" className={CHIP} disabled={!defect.trim()}>
        Write it
      </button>
      {addRemark.error && <span role="alert">{addRemark.error.message}</span>}
    </form>
  );
}

interface Props {
  trial: Trial;
  part: Place;
  /** The spot that the part is, if it is one. */
  spot: Spot | null;
  active: Choice;
  made: (spot: Spot) => void;
  close: () => void;
}

/** The scores of a part of the picture, beside the panes; one press makes it a spot, another a remark. */
export function Strip({ trial, part, spot, active, made, close }: Props) {
  const [all, setAll] = useState(false);
  const done = trial.entries.filter((entry) => entry.state === "done").length;
  const point = part.width < SMALLEST || part.height < SMALLEST;
  const first = trial.has_truth ? FIRST : BESIDE_INPUT;
  const found = usePartScores(trial.id, point ? null : part, spot?.id ?? null, done, all ? null : first);
  const pixel = usePixel(trial.id, point ? part : null, done);
  const order = first.flatMap((id) => trial.measures.find((measure) => measure.id === id) ?? []);
  const rest = trial.measures.filter(({ id }) => !first.includes(id));
  const where = point
    ? `Point ${part.left}, ${part.top}`
    : `${part.width} × ${part.height} pixels at ${part.left}, ${part.top}`;
  let body: ReactNode = null;
  if (pixel.data) body = <PixelTable found={pixel.data} />;
  else if (pixel.error) body = <p role="alert">{pixel.error.message}</p>;
  else if (found.error) body = <p role="alert">{found.error.message}</p>;
  else if (found.data && (all || !found.isPlaceholderData))
    body = <Figures measures={all ? [...order, ...rest] : order} entries={found.data} />;
  return (
    <section
      aria-label="Scores of this part"
      className="max-h-64 shrink-0 overflow-y-auto bg-room-raised px-3 py-1.5 text-small"
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <h2 className="font-semibold">
          {spot && `${spot.name}: `}
          {where}
          {trial.frames > 1 && `, frame ${trial.first + part.frame}`}
        </h2>
        {found.isFetching && (
          <span role="status" className="text-lamp-soft">
            measuring every entry here…
          </span>
        )}
        {!point && !spot && <SpotForm trial={trial} part={part} spot={made} />}
        <RemarkForm trial={trial} part={part} choice={active} />
        <span className="ml-auto flex">
          {!point && (
            <a
              className={CHIP}
              download
              title="Truth, input and every entry here, as lossless PNG files"
              href={`/api/trials/${trial.id}/crops.zip?left=${part.left}&top=${part.top}&width=${part.width}&height=${part.height}&frame=${part.frame}`}
            >
              Save these pixels
            </a>
          )}
          {!point && (
            <button type="button" className={CHIP} aria-pressed={all} onClick={() => setAll(!all)}>
              All measures
            </button>
          )}
          <button type="button" className={CHIP} onClick={close} title="Escape">
            Close
          </button>
        </span>
      </div>
      {body && <div className="mt-1">{body}</div>}
    </section>
  );
}
