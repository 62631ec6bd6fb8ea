import { useState } from "react";
import type { Place, Remark, Spot, Trial } from "../../api/client";
import { CHIP, FIELD } from "./chip";
import { RemarkList, SpotList } from "./Lists";
import { Tray } from "./Tray";
import type { useFlipping } from "./useFlipping";
import type { Choice, Look } from "./useLook";

const TABS = [
  ["entries", "Entries"],
  ["spots", "Spots"],
  ["remarks", "Remarks"],
] as const;

const PACES = [0.25, 0.5, 1, 2, 4];

interface Props {
  trial: Trial;
  choices: Choice[];
  look: Look;
  side: string;
  spots: Spot[];
  remarks: Remark[];
  /** Flip between the two finalists; null unless there are two. */
  finalists: (() => void) | null;
  flipping: ReturnType<typeof useFlipping>;
  goToPart: (part: Place, spot: Spot | null) => void;
  goToRemark: (remark: Remark) => void;
  mark: () => void;
}

/** Beside the pictures: the tray of entries, the spots, the remarks. */
export function Side(props: Props) {
  const { trial, choices, look, side, spots, remarks, finalists, flipping } = props;
  const [only, setOnly] = useState<string | null>(null);
  const counts = { entries: choices.length, spots: spots.length, remarks: remarks.length };
  if (!TABS.some(([tab]) => tab === side))
    return (
      <button
        type="button"
        className="w-6 shrink-0 bg-room-raised text-note [writing-mode:vertical-rl] hover:bg-room-field"
        title="Key E"
        onClick={() => look.change({ side: "entries" })}
      >
        Entries, spots, remarks
      </button>
    );
  return (
    <aside
      aria-label="Entries, spots and remarks"
      className="flex w-64 shrink-0 flex-col bg-room-raised text-small"
    >
      <div className="flex items-center px-1 pt-1">
        {TABS.map(([tab, name]) => (
          <button
            key={tab}
            type="button"
            className={`${CHIP} text-note whitespace-nowrap`}
            aria-pressed={side === tab}
            onClick={() => look.change({ side: tab })}
          >
            {name} {counts[tab]}
          </button>
        ))}
        <button
          type="button"
          className={`${CHIP} ml-auto text-note`}
          aria-label="Hide the tray"
          title="Key E"
          onClick={() => look.change({ side: "none" })}
        >
          Hide
        </button>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto py-1">
        {side === "entries" && (
          <Tray
            trial={trial}
            choices={choices}
            panes={look.panes}
            focus={look.focus}
            remarks={remarks}
            put={look.put}
          />
        )}
        {side === "spots" && <SpotList trial={trial} spots={spots} go={props.goToPart} mark={props.mark} />}
        {side === "remarks" && (
          <RemarkList trial={trial} remarks={remarks} only={only} setOnly={setOnly} go={props.goToRemark} />
        )}
      </div>
      {side === "entries" && (
        <div className="flex flex-wrap items-center px-1 py-1">
          <button
            type="button"
            className={CHIP}
            aria-pressed={flipping.on}
            title="Key A"
            onClick={flipping.turn}
          >
            Flip by itself
          </button>
          <select
            aria-label="Seconds between flips"
            value={flipping.pace}
            onChange={(event) => flipping.setPace(Number(event.target.value))}
            className={FIELD}
          >
            {PACES.map((seconds) => (
              <option key={seconds} value={seconds}>
                {seconds} s
              </option>
            ))}
          </select>
          {finalists && (
            <button type="button" className={CHIP} title="Key Z" onClick={finalists}>
              Flip the finalists
            </button>
          )}
        </div>
      )}
    </aside>
  );
}
