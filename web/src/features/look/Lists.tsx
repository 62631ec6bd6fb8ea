import type { Place, Remark, Spot, Trial } from "../../api/client";
import { useMarking, useSuggestedSpots } from "../../api/marks";
import { LetterPlate } from "../../ui/LetterPlate";
import { useViewport } from "../../viewer/viewport";
import { CHIP } from "./chip";

interface SpotsProps {
  trial: Trial;
  spots: Spot[];
  go: (part: Place, spot: Spot | null) => void;
  mark: () => void;
}

/** The spots of the source, and places worth looking at. */
export function SpotList({ trial, spots, go, mark }: SpotsProps) {
  const { addSpot, removeSpot } = useMarking(trial.id);
  const suggesting = useSuggestedSpots(trial.id);
  const known = new Set(spots.map(({ name }) => name));
  const fresh = (suggesting.data ?? []).filter(({ name }) => !known.has(name));
  return (
    <div className="px-2 py-1.5">
      {spots.length === 0 && (
        <p className="mb-2 text-lamp-soft">
          A spot is a place that must come out right: an eye, a hedge, lettering, flat sky. Every trial of
          this source has it.
        </p>
      )}
      <ul aria-label="Spots" className="mb-2">
        {spots.map((spot) => (
          <li key={spot.id} className="flex items-center gap-1">
            <button
              type="button"
              className={`${CHIP} min-w-0 flex-1 truncate text-left`}
              title={spot.note || spot.name}
              onClick={() => go(spot, spot)}
            >
              {spot.name}
              <span className="ml-2 text-fine text-lamp-soft">
                {spot.width} × {spot.height}
                {trial.frames > 1 && `, frame ${trial.first + spot.frame}`}
              </span>
            </button>
            <button
              type="button"
              className={CHIP}
              aria-label={`Remove the spot ${spot.name}`}
              onClick={() => removeSpot.mutate(spot.id)}
            >
              Remove
            </button>
          </li>
        ))}
      </ul>
      <button type="button" className={`${CHIP} border border-room-line`} onClick={mark} title="Key N">
        Mark a part
      </button>
      <button
        type="button"
        className={`${CHIP} ml-1 border border-room-line`}
        disabled={suggesting.isPending}
        onClick={() => suggesting.mutate(useViewport.getState().frame)}
      >
        {suggesting.isPending ? "Looking…" : "Suggest spots"}
      </button>
      {suggesting.error && <p role="alert">{suggesting.error.message}</p>}
      {suggesting.data && fresh.length === 0 && <p className="mt-2">Nothing new to suggest.</p>}
      <ul aria-label="Suggested spots" className="mt-2">
        {fresh.map((place) => (
          <li key={place.name} className="flex items-center gap-1">
            <button
              type="button"
              className={`${CHIP} min-w-0 flex-1 text-left`}
              onClick={() => go(place, null)}
            >
              {place.name}
              <span className="block truncate text-fine text-lamp-soft" title={place.why}>
                {place.why}
              </span>
            </button>
            <button
              type="button"
              className={CHIP}
              aria-label={`Keep the spot ${place.name}`}
              onClick={() => {
                const { name, why, ...part } = place;
                addSpot.mutate({ ...part, name, note: why });
              }}
            >
              Keep
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

interface RemarksProps {
  trial: Trial;
  remarks: Remark[];
  only: string | null;
  setOnly: (letter: string | null) => void;
  go: (remark: Remark) => void;
}

const SEVERITY = ["", "slight", "disturbs", "rules it out"];

/** What was remarked on entries; of one entry, or of all. */
export function RemarkList({ trial, remarks, only, setOnly, go }: RemarksProps) {
  const { removeRemark } = useMarking(trial.id);
  const letters = [...new Set(remarks.map(({ letter }) => letter))].sort();
  const listed = remarks.filter(({ letter }) => only === null || letter === only);
  return (
    <div className="px-2 py-1.5">
      {remarks.length === 0 && (
        <p className="text-lamp-soft">
          Mark a part or a point (key N) and write what is wrong with the entry in the active pane.
        </p>
      )}
      {letters.length > 1 && (
        <div role="group" aria-label="Remarks on" className="mb-1 flex">
          {[null, ...letters].map((letter) => (
            <button
              key={letter ?? "all"}
              type="button"
              className={CHIP}
              aria-pressed={only === letter}
              onClick={() => setOnly(letter)}
            >
              {letter ?? "All"}
            </button>
          ))}
        </div>
      )}
      <ul aria-label="Remarks">
        {listed.map((remark) => (
          <li key={remark.id} className="flex items-center gap-1">
            <button
              type="button"
              className={`${CHIP} flex min-w-0 flex-1 items-center gap-2 text-left`}
              onClick={() => go(remark)}
            >
              <LetterPlate letter={remark.letter} neutral />
              <span className="min-w-0">
                <span className="block truncate">{remark.defect}</span>
                <span className="block text-fine text-lamp-soft">
                  {SEVERITY[remark.severity]}, at {remark.left}, {remark.top}
                </span>
              </span>
            </button>
            <button
              type="button"
              className={CHIP}
              aria-label={`Remove the remark ${remark.defect} on ${remark.letter}`}
              onClick={() => removeRemark.mutate(remark.id)}
            >
              Remove
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
