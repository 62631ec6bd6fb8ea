import type { FaultMap, MapAnswer, Trial } from "../../api/client";
import { useMap } from "../../api/marks";
import { usePlayer } from "../../viewer/player";
import { useViewport, type Region } from "../../viewer/viewport";
import { TINT, type Heat } from "../../viewer/heat";
import { CHIP } from "./chip";
import type { Choice } from "./useLook";

/** Which map lies over the entries and how; kept in the address. */
export interface Mapped {
  fault: string;
  /** It is one of the trial, the same over every picture. */
  ofAll: boolean;
  opacity: number;
  alone: boolean;
}

export function readMapped(params: URLSearchParams, kinds: FaultMap[]): Mapped | null {
  const kind = kinds.find(({ id }) => id === params.get("map"));
  if (!kind) return null;
  const opacity = Number(params.get("opacity") ?? 0.8);
  return {
    fault: kind.id,
    ofAll: kind.of_all,
    opacity: Number.isFinite(opacity) ? Math.min(1, Math.max(0.1, opacity)) : 0.8,
    alone: params.get("alone") === "yes",
  };
}

/** The map of an entry, or of all, at the frame that stands; truth and input have none of their own.
 * None is asked for while a clip plays. */
export function useFaultMap(trial: Trial, choice: Choice, mapped: Mapped | null) {
  const playing = usePlayer((player) => player.playing);
  const made = trial.entries.filter(({ picture_id }) => picture_id);
  const letter = mapped?.ofAll ? made[0]?.letter : choice.entry?.letter;
  const fault = mapped && letter && choice.picture && !playing ? mapped.fault : null;
  const frame = useViewport((view) => (fault ? view.frame : 0));
  const all = made.filter(({ standing }) => standing !== "retired").map((entry) => entry.letter);
  const found = useMap(trial.id, letter ?? "", fault, frame, mapped?.ofAll ? all.join("") : letter);
  return { asked: fault !== null, frame, map: (fault && found.data) || null, error: found.error };
}

/** What lies over the pixels of an entry, or a word on why it does not yet. */
export function useHeat(
  trial: Trial,
  choice: Choice,
  mapped: Mapped | null,
): { heat: Heat | null; told: string } {
  const { asked, frame, map, error } = useFaultMap(trial, choice, mapped);
  if (!mapped || !asked) return { heat: null, told: "" };
  if (!map) return { heat: null, told: error ? error.message : "making the map" };
  const { opacity, alone } = mapped;
  return {
    heat: { url: `/api/pictures/${map.picture_id}/maps/${map.name}/${frame}`, opacity, alone },
    told: "",
  };
}

interface Props {
  kind: FaultMap;
  mapped: Mapped;
  active: Choice;
  /** The active entry's own map, once it is there. */
  map: MapAnswer | null;
  change: (values: Record<string, string>) => void;
  go: (part: Region) => void;
}

/** What the map means, its scale, how strongly it lies over the picture, and the way to its worst place. */
export function MapBar({ kind, mapped, active, map, change, go }: Props) {
  const tint = `rgb(${TINT.join(" ")})`;
  return (
    <section
      aria-label="Map"
      className="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 bg-room-raised px-3 py-1 text-note"
    >
      <p className="flex items-center gap-2" data-testid="map-scale">
        <b className="font-semibold">{kind.name}</b> 0
        <span
          aria-hidden
          className="h-3 w-32 outline outline-room-line"
          style={{
            background: mapped.alone
              ? "linear-gradient(to right, #000, #fff)"
              : `linear-gradient(to right, transparent, ${tint})`,
          }}
        />
        {kind.most} {kind.unit}
      </p>
      <label className="flex items-center gap-1.5">
        Opacity
        <input
          type="range"
          min={0.1}
          max={1}
          step={0.05}
          disabled={mapped.alone}
          value={mapped.opacity}
          onChange={(event) => change({ opacity: event.target.value })}
          className="w-24 accent-lamp"
        />
      </label>
      <button
        type="button"
        className={CHIP}
        aria-pressed={mapped.alone}
        onClick={() => change({ alone: mapped.alone ? "no" : "yes" })}
      >
        Alone
      </button>
      {(active.entry || mapped.ofAll) && (
        <button
          type="button"
          className={CHIP}
          disabled={!map}
          title="Key V"
          onClick={() => map && go(map.worst)}
        >
          {mapped.ofAll ? "Where they differ most" : `Worst place of ${active.plate}`}
          {map && `: ${Number(map.value.toPrecision(2))} ${kind.unit}`}
        </button>
      )}
      <span className="text-lamp-soft">{kind.meaning}</span>
    </section>
  );
}
