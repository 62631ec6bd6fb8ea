import { useMemo, useState } from "react";
import { zoomText } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { Pane } from "../../viewer/Pane";
import { keyOf, type Scene } from "../../viewer/scene";
import { useViewport, zoomOf } from "../../viewer/viewport";
import type { Choice } from "./useLook";

/** What a picture is, in words, over its pixels. */
export function Caption({ choice, extent }: { choice: Choice; extent: { width: number } }) {
  const zoom = useViewport((view) => zoomOf(view));
  const scale = choice.picture ? extent.width / choice.picture.width : 1;
  return (
    <div className="flex h-9 min-w-0 flex-1 shrink-0 items-center gap-2 overflow-hidden bg-[#2b2b2b] px-2 text-[13px] whitespace-nowrap text-[#e8e8e8]">
      <LetterPlate letter={choice.plate} neutral />
      <span className="truncate font-semibold">{choice.name}</span>
      <span className="truncate text-[#b9b9b9]">{choice.detail}</span>
      <span className="ml-auto shrink-0 pl-2 text-[#d0d0d0]" data-testid="pane-zoom">
        {zoomText(zoom * scale)}
      </span>
    </div>
  );
}

/** Pixels of a scene, or the surround while there are none; a word on what is waited for. */
export function Pixels({ scene, choices, label }: { scene: Scene | null; choices: Choice[]; label: string }) {
  const [shown, setShown] = useState<string | null>(null);
  const waiting = choices.find((choice) => choice.waiting)?.waiting;
  const state = waiting ?? (scene && shown !== keyOf(scene) ? "loading" : null);
  return (
    <>
      {scene ? (
        <Pane scene={scene} label={label} onShown={setShown} />
      ) : (
        <div className="size-full bg-[var(--surround)]" />
      )}
      {state && (
        <p
          role="status"
          className="absolute inset-x-0 top-1/2 mx-auto w-fit rounded-sm bg-[#1c1c1c] px-3 py-1 text-[#f0f0f0]"
        >
          {state}
        </p>
      )}
    </>
  );
}

interface SlotProps {
  choice: Choice;
  extent: { width: number };
  active: boolean;
  onActivate: () => void;
}

/** A pane with one picture. */
export function Slot({ choice, extent, active, onActivate }: SlotProps) {
  const { picture } = choice;
  const scene = useMemo<Scene | null>(() => picture && { kind: "one", pictures: [picture] }, [picture]);
  return (
    <section
      aria-label={choice.name}
      data-active={active || undefined}
      onPointerDown={onActivate}
      className={`relative flex min-h-0 min-w-0 flex-col ${active ? "outline-2 -outline-offset-2 outline-[#f5f5f5]" : ""}`}
    >
      <div className="flex">
        <Caption choice={choice} extent={extent} />
      </div>
      <div className="relative min-h-0 flex-1">
        <Pixels scene={scene} choices={[choice]} label={choice.name} />
      </div>
    </section>
  );
}
