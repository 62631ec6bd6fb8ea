import { useState } from "react";
import type { Measure, Spot, Trial } from "../../api/client";
import { useMarking, useSpotScores } from "../../api/marks";
import { LetterPlate } from "../../ui/LetterPlate";
import { Cell } from "../../viewer/Cell";
import { useViewport } from "../../viewer/viewport";
import { CHIP, FIELD } from "./chip";
import { Figure } from "./Strip";
import { DRAGGED } from "./Tray";
import type { Choice } from "./useLook";

const PINNED = ["truth", "input"];

/** Columns: truth and input first, then entries by hand or from the best by a measure; retired ones last. */
export function ordered(choices: Choice[], measure: Measure | undefined, hand: string[]): Choice[] {
  const worth = ({ entry }: Choice) => {
    const score = measure && entry?.scores[measure.id];
    if (!measure?.better || !score || score.note) return -Infinity;
    const value = score.value ?? Infinity;
    return measure.better === "higher" ? value : -Math.abs(value);
  };
  const place = ({ id }: Choice) => (hand.includes(id) ? hand.indexOf(id) : hand.length);
  const rank = (choice: Choice) => [
    PINNED.includes(choice.id) ? PINNED.indexOf(choice.id) : PINNED.length,
    Number(choice.entry?.standing === "retired"),
    measure ? -worth(choice) : place(choice),
  ];
  return [...choices].sort((one, other) => {
    const [a, b] = [rank(one), rank(other)];
    const at = a.findIndex((value, index) => value !== b[index]);
    return at < 0 || a[at] === b[at] ? 0 : (a[at] ?? 0) < (b[at] ?? 0) ? -1 : 1;
  });
}

interface HeadProps {
  trial: Trial;
  choice: Choice;
  move: (id: string, before: string) => void;
}

function Head({ trial, choice, move }: HeadProps) {
  const { setStanding } = useMarking(trial.id);
  const { entry } = choice;
  const retired = entry?.standing === "retired";
  return (
    <th
      scope="col"
      data-caption={`${choice.plate}  ${choice.name}`}
      draggable={!PINNED.includes(choice.id)}
      onDragStart={(event) => event.dataTransfer.setData(DRAGGED, choice.id)}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => move(event.dataTransfer.getData(DRAGGED), choice.id)}
      className={`sticky top-0 z-[2] bg-room px-1 py-1 text-left font-normal ${retired ? "text-lamp-dim" : ""}`}
    >
      <div className="flex w-42 items-center gap-1.5">
        <LetterPlate letter={choice.plate} neutral />
        <span className="min-w-0 flex-1 truncate text-note font-semibold" title={choice.name}>
          {choice.name}
        </span>
        {entry && !entry.control && (
          <button
            type="button"
            className={`${CHIP} !py-0 text-fine`}
            aria-label={retired ? `Bring ${choice.id} back` : `Retire ${choice.id}`}
            onClick={() =>
              setStanding.mutate({
                letter: choice.id,
                before: { standing: entry.standing, reason: entry.standing_reason },
                after: { standing: retired ? null : "retired", reason: entry.standing_reason },
              })
            }
          >
            {retired ? "Back" : "Retire"}
          </button>
        )}
      </div>
    </th>
  );
}

interface RowProps {
  trial: Trial;
  spot: Spot;
  columns: Choice[];
  measure: Measure | undefined;
  zoom: number;
  go: (spot: Spot, id: string) => void;
}

/** What an entry scores at a spot. */
function SpotScore(props: { trial: Trial; spot: Spot; letter: string; measure: Measure }) {
  const { trial, spot, letter, measure } = props;
  const done = trial.entries.filter(({ state }) => state === "done").length;
  const found = useSpotScores(trial.id, spot.id, done);
  const entry = found.data?.find((one) => one.letter === letter);
  return (
    <p className="h-5 bg-room px-1 text-note">
      {entry ? (
        <Figure entry={entry} measure={measure} />
      ) : (
        <span className="text-lamp-dim">{found.isLoading ? "…" : "–"}</span>
      )}
    </p>
  );
}

function Row({ trial, spot, columns, measure, zoom, go }: RowProps) {
  return (
    <tr>
      <th
        scope="row"
        data-caption={spot.name}
        className="sticky left-0 z-[1] w-28 max-w-28 min-w-28 bg-room px-2 text-left align-top font-normal"
      >
        <span className="block pt-1 font-semibold wrap-anywhere">{spot.name}</span>
        <span className="text-fine text-lamp-soft">
          {trial.frames > 1 ? `frame ${trial.first + spot.frame}` : `${spot.left}, ${spot.top}`}
        </span>
      </th>
      {columns.map((choice) => (
        <td key={choice.id} className="p-0.5 align-top">
          <button
            type="button"
            className={`block h-32 w-42 ${choice.entry?.standing === "retired" ? "opacity-40" : ""}`}
            title={`${choice.name} at ${spot.name}`}
            onClick={() => go(spot, choice.id)}
          >
            {choice.picture ? (
              <Cell
                picture={choice.picture}
                extent={trial.plan.target}
                x={spot.left + spot.width / 2}
                y={spot.top + spot.height / 2}
                zoom={zoom}
                frame={spot.frame}
                label={`${choice.name} at ${spot.name}`}
                stays
              />
            ) : (
              <span className="text-note">{choice.waiting ?? "loading"}</span>
            )}
          </button>
          {measure && !PINNED.includes(choice.id) && (
            <SpotScore trial={trial} spot={spot} letter={choice.id} measure={measure} />
          )}
        </td>
      ))}
    </tr>
  );
}

interface Props {
  trial: Trial;
  choices: Choice[];
  spots: Spot[];
  by: string | null;
  hand: string[];
  change: (values: Record<string, string>) => void;
  go: (spot: Spot, id: string) => void;
  find: () => void;
}

/** Spots as rows, truth, input and entries as columns: the same pixels in every cell, as they are. */
export function Wall({ trial, choices, spots, by, hand, change, go, find }: Props) {
  const zoom = useViewport((view) => view.zoom) ?? 1;
  const [told, tell] = useState("");
  const measure = trial.measures.find(({ id }) => id === by);
  const columns = ordered(choices, measure, hand);
  const move = (id: string, before: string) => {
    if (!id || id === before || PINNED.includes(before) || PINNED.includes(id)) return;
    const rest = columns.map((choice) => choice.id).filter((one) => !PINNED.includes(one) && one !== id);
    rest.splice(rest.indexOf(before), 0, id);
    change({ order: rest.join(","), by: "" });
    tell(`${id} stands before ${before}`);
  };
  if (spots.length === 0)
    return (
      <div className="grid min-h-0 flex-1 place-items-center bg-[var(--surround)]">
        <div className="max-w-md rounded-sm bg-room p-6">
          <h2 className="mb-2 text-lg font-semibold">No spots yet</h2>
          <p className="mb-3 text-lamp-soft">
            The wall shows every entry at every spot. Let Mistline suggest some, or mark your own on the
            picture.
          </p>
          <button type="button" className={`${CHIP} border border-room-line`} onClick={find}>
            Find spots
          </button>
        </div>
      </div>
    );
  return (
    <section aria-label="Wall" className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div className="flex items-center gap-3 px-3 pb-1 text-small">
        <label className="flex items-center gap-1.5">
          Order and scores
          <select value={by ?? ""} onChange={(event) => change({ by: event.target.value })} className={FIELD}>
            <option value="">by hand, no scores</option>
            {trial.measures.map(({ id, name }) => (
              <option key={id} value={id}>
                by {name}
              </option>
            ))}
          </select>
        </label>
        <span className="text-note text-lamp-soft">
          {!measure
            ? "drag a head to move a column"
            : measure.better
              ? "the best stands first"
              : "no side is known to be better, so the order stays"}
          ; a press on a cell opens it
        </span>
        <span role="status" className="sr-only">
          {told}
        </span>
      </div>
      <div data-scrolls className="relative min-h-0 flex-1 overflow-auto bg-[var(--surround)]">
        <table className="border-separate border-spacing-0">
          <thead>
            <tr>
              <td data-caption="" className="sticky top-0 left-0 z-[3] bg-room" />
              {columns.map((choice) => (
                <Head key={choice.id} trial={trial} choice={choice} move={move} />
              ))}
            </tr>
          </thead>
          <tbody>
            {spots.map((spot) => (
              <Row
                key={spot.id}
                trial={trial}
                spot={spot}
                columns={columns}
                measure={measure}
                zoom={zoom}
                go={go}
              />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
