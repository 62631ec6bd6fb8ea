import type { Picture } from "../../api/client";
import { zoomText } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import type { Shift } from "../../viewer/paint";
import { usePlace, valueAt } from "../../viewer/pointer";
import { useViewport, zoomOf } from "../../viewer/viewport";
import { CHIP } from "./chip";
import type { Choice } from "./useLook";

/** The values under the pointer, in every pane at the same place; for a result how far they are from the truth's. */
function Values({ choice, truth }: { choice: Choice; truth: Picture | null }) {
  const place = usePlace((pointer) => pointer.place);
  const view = useViewport();
  if (!place || !choice.picture) return null;
  const found = valueAt(choice.picture, view, place);
  const there = truth && truth.id !== choice.picture.id ? valueAt(truth, view, place) : null;
  if (!found) return null;
  const beside = (value: number, channel: number) => {
    const off = there ? value - (there[channel] ?? 0) : 0;
    return off ? `${value} (${off > 0 ? "+" : "−"}${Math.abs(off)})` : String(value);
  };
  return (
    <span
      className="shrink-0 text-lamp-soft tabular-nums"
      data-testid="values"
      title={`R, G, B at column ${place.x}, row ${place.y}, 8-bit${there ? "; beside each how far from the truth" : ""}`}
    >
      {found.map(beside).join(" ")}
    </span>
  );
}

/** How far a result lies off its truth or input, in its pixels, where that is sure and worth a word; null elsewhere. */
export function misplaced({ entry }: Choice): Shift | null {
  const { right = 0, down = 0, sure = 0 } = entry?.scores.registration?.parts ?? {};
  return sure && Math.hypot(right, down) >= WORTH_A_WORD ? { right, down } : null;
}

const WORTH_A_WORD = 0.1; // pixels: less shows nowhere
/** The way back to where it belongs. */
export const wayBack = ({ right, down }: Shift): Shift => ({ right: -right, down: -down });

/** "0.25 px right, 0.50 px up" */
function inWords({ right, down }: Shift): string {
  const told = (length: number, words: [string, string]) =>
    Math.abs(length) < 0.005 ? [] : `${Math.abs(length).toFixed(2)} px ${words[length > 0 ? 0 : 1]}`;
  return [told(right, ["right", "left"]), told(down, ["down", "up"])].flat().join(", ");
}

interface CaptionProps {
  choice: Choice;
  /** What a pane can do with what it shows; a side of two pictures can not. */
  doing?: { pinned: boolean; pin: () => void; placed: boolean; place: () => void };
  extent: { width: number };
  truth: Picture | null;
  /** Whether the pane shows the picture's own brightness, which a lift raises. */
  liftable?: boolean;
}

/** What a picture is, in words, over its pixels. */
export function Caption({ choice, extent, truth, liftable = true, doing }: CaptionProps) {
  const off = misplaced(choice);
  const lift = useViewport((view) => view.lift);
  const zoom = useViewport((view) => zoomOf(view));
  const scale = choice.picture ? extent.width / choice.picture.width : 1;
  return (
    <div
      data-caption={[
        `${choice.plate === choice.name ? "" : `${choice.plate}  `}${choice.name}`,
        choice.detail,
        zoomText(zoom * scale),
        ...(liftable && lift > 1 ? [`lifted ${lift}×`] : []),
        ...(off && doing?.placed ? [`moved back by ${inWords(off)}`] : []),
      ].join(", ")}
      className="flex h-9 min-w-0 flex-1 shrink-0 items-center gap-2 overflow-hidden bg-room px-2 text-note whitespace-nowrap text-lamp"
    >
      <LetterPlate letter={choice.plate} neutral />
      <span className="truncate font-semibold" title={choice.name}>
        {choice.name}
      </span>
      <span className="min-w-0 shrink-[1000] truncate text-lamp-dim" title={choice.detail}>
        {choice.detail}
      </span>
      <span className="ml-auto" />
      <Values choice={choice} truth={truth} />
      {off && doing && (
        <button
          type="button"
          className={`${CHIP} shrink-0`}
          aria-pressed={doing.placed}
          title={
            doing.placed
              ? "Shown where it belongs, by what was measured; press to see it as it is"
              : "It lies off its place, as measured; press to see it where it belongs"
          }
          onClick={doing.place}
        >
          {doing.placed ? "moved back from" : "lies"} {inWords(off)}
        </button>
      )}
      {doing && (
        <button
          type="button"
          className={`${CHIP} shrink-0`}
          aria-pressed={doing.pinned}
          aria-label={`Pin ${choice.name}`}
          title="Shift P: what is pinned keeps its pane"
          onClick={doing.pin}
        >
          Pin
        </button>
      )}
      {liftable && lift > 1 && (
        <span className="shrink-0 rounded-sm bg-lamp px-1 text-room-deep">lifted {lift}×</span>
      )}
      <span className="shrink-0 pl-2 text-lamp-soft" data-testid="pane-zoom">
        {zoomText(zoom * scale)}
      </span>
    </div>
  );
}
