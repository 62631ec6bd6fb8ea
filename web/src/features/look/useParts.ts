import { useState } from "react";
import type { Place, Remark, Spot, Trial } from "../../api/client";
import { usePlayer } from "../../viewer/player";
import { useViewport, type Region } from "../../viewer/viewport";
import type { Mark } from "./Marks";
import { paired, type Choice, type Look } from "./useLook";

/** The part that is measured, and the spot that it is, if it is one. */
export interface Taken {
  part: Place;
  spot: Spot | null;
}

/** Spots, remarks and the part that is measured: drawn, gone to, shown in the panes. */
export function useParts(trial: Trial, look: Look, spots: Spot[], remarks: Remark[]) {
  const [marking, setMarking] = useState(false);
  const [marked, setMarked] = useState(true);
  const [taken, take] = useState<Taken | null>(null);
  const seek = usePlayer((player) => player.seek);
  const go = (part: Region & { frame?: number }) => {
    useViewport.getState().goTo(part);
    if (part.frame !== undefined && trial.frames > 1) seek(part.frame);
  };
  return {
    marking,
    taken,
    take,
    go,
    goAndTake: (part: Place, spot: Spot | null) => {
      go(part);
      take({ part, spot });
    },
    draw: (part: Region) => {
      setMarking(false);
      take({ part: { ...part, frame: useViewport.getState().frame }, spot: null });
    },
    /** Begin to mark, where there is a pane to mark on; or stop it. */
    mark: () => {
      if (look.mode !== "panes" && !paired(look.mode)) look.change({ mode: "panes" });
      setMarking(!marking);
    },
    escape: () => (marking ? setMarking(false) : take(null)),
    showOrHide: () => setMarked(!marked),
    marksOf: ({ id }: Choice): Mark[] => [
      ...(marked ? spots.map((spot) => ({ ...spot, key: spot.id })) : []),
      ...remarks
        .filter((remark) => marked && remark.letter === id)
        .map((remark) => ({ ...remark, key: remark.id, name: remark.defect })),
      ...(taken && !taken.spot ? [{ key: "taken", name: "this part", ...taken.part }] : []),
    ],
  };
}

export type Parts = ReturnType<typeof useParts>;
