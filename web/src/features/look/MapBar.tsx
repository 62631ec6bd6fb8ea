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
  opacity: number;
  alone: boolean;
}

export function readMapped(params: URLSearchParams, kinds: FaultMap[]): Mapped | null {
  const fault = params.get("map");
  if (!fault || !kinds.some(({ id }) => id === fault)) return null;
  const opacity = Number(params.get("opacity") ?? 0.8);
  return {
    fault,
    opacity: Number.isFinite(opacity) ? Math.min(1, Math.max(0.1, opacity)) : 0.8,
    alone: params.get("alone") === "yes",
  };
}

const heatOf = (found: MapAnswer, { fault, opacity, alone }: Mapped, frame: number): Heat => ({
  url: `/api/pictures/${found.picture_id}/maps/${fault}/${frame}`,
  opacity,
  alone,
});

/** The map over an entry at the frame that stands; none for truth and input, and none while a clip plays. */
export function useHeat(
  trial: Trial,
  choice: Choice,
  mapped: Mapped | null,
): { heat: Heat | null; told: string } {
  const frame = useViewport((view) => view.frame);
  const playing = usePlayer((player) => player.playing);
  const fault = mapped && choice.entry && choice.picture && !playing ? mapped.fault : null;
  const found = useMap(trial.id, choice.id, fault, frame);
  if (!mapped || !fault) return { heat: null, told: "" };
  if (found.data) return { heat: heatOf(found.data, mapped, frame), told: "" };
  return { heat: null, told: found.error ? found.error.message : "making the map" };
}

interface Props {
  trial: Trial;
  kind: FaultMap;
  mapped: Mapped;
  active: Choice;
  change: (values: Record<string, string>) => void;
  go: (part: Region) => void;
}

/** The worst place of the map over an entry; null while nobody knows. */
export function useWorst(trial: Trial, active: Choice, mapped: Mapped | null): MapAnswer | null {
  const frame = useViewport((view) => view.frame);
  const found = useMap(trial.id, active.id, mapped && active.entry ? mapped.fault : null, frame);
  return found.data ?? null;
}

/** What the map means, its scale, how strongly it lies over the picture, and the way to its worst place. */
export function MapBar({ trial, kind, mapped, active, change, go }: Props) {
  const worst = useWorst(trial, active, mapped);
  const tint = `rgb(${TINT.join(" ")})`;
  return (
    <section
      aria-label="Map"
      className="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 bg-[#3a3a3a] px-3 py-1 text-[13px]"
    >
      <p className="flex items-center gap-2" data-testid="map-scale">
        <b className="font-semibold">{kind.name}</b> 0
        <span
          aria-hidden
          className="h-3 w-32 outline outline-[#8a8a8a]"
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
          className="w-24 accent-[#e8e8e8]"
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
      {active.entry && (
        <button
          type="button"
          className={CHIP}
          disabled={!worst}
          title="Key V"
          onClick={() => worst && go(worst.worst)}
        >
          Worst place of {active.plate}
          {worst && `: ${Number(worst.value.toPrecision(2))} ${kind.unit}`}
        </button>
      )}
      <span className="text-[#c4c4c4]">{kind.meaning}</span>
    </section>
  );
}
