import type { Trial } from "../../api/client";
import { zoomText } from "../../ui/format";
import { useViewport } from "../../viewer/viewport";
import type { Mode } from "./useLook";

const STRIP = 28; // CSS pixels of the caption below
const INK = "#ececec";

/**
 * What an element shows of pictures, at the screen's own pixels, as a PNG: every canvas as it is, every caption
 * (`data-caption`) as text where it stands, both within what scrolls (`data-scrolls`), and a strip below that says what
 * it is.
 */
export async function pictureOf(root: HTMLElement, words: string): Promise<Blob | null> {
  const scale = window.devicePixelRatio;
  const base = root.getBoundingClientRect();
  const sheet = document.createElement("canvas");
  sheet.width = Math.round(base.width * scale);
  sheet.height = Math.round((base.height + STRIP) * scale);
  const context = sheet.getContext("2d", { alpha: false });
  if (!context) return null;
  /** Where a rectangle lies on the sheet. */
  const place = (box: DOMRect) =>
    [
      (box.left - base.left) * scale,
      (box.top - base.top) * scale,
      box.width * scale,
      box.height * scale,
    ] as const;
  const clipped = (boxes: DOMRect[], draw: () => void) => {
    context.save();
    for (const box of boxes) {
      context.beginPath();
      context.rect(...place(box));
      context.clip();
    }
    draw();
    context.restore();
  };
  const bar = (box: DOMRect, room: DOMRect, fill: string, text: string) =>
    clipped([room, box], () => {
      const [left, top, width, height] = place(box);
      context.fillStyle = fill;
      context.fillRect(left, top, width, height);
      context.fillStyle = INK;
      context.fillText(text, left + 8 * scale, top + height / 2);
    });
  const roomOf = (element: Element) => (element.closest("[data-scrolls]") ?? root).getBoundingClientRect();
  context.fillStyle = getComputedStyle(root).backgroundColor;
  context.fillRect(0, 0, sheet.width, sheet.height);
  context.font = `${13 * scale}px "Atkinson Hyperlegible Next Variable", sans-serif`;
  context.textBaseline = "middle";
  for (const canvas of root.querySelectorAll("canvas")) {
    clipped([roomOf(canvas)], () => {
      const [left, top] = place(canvas.getBoundingClientRect());
      context.filter = canvas.style.filter || "none";
      context.drawImage(canvas, Math.round(left), Math.round(top));
    });
  }
  const layer = (element: Element) => Number(getComputedStyle(element).zIndex) || 0;
  for (const caption of [...root.querySelectorAll<HTMLElement>("[data-caption]")].sort(
    (one, other) => layer(one) - layer(other),
  ))
    bar(caption.getBoundingClientRect(), roomOf(caption), "#2b2b2b", caption.dataset.caption ?? "");
  const below = new DOMRect(base.left, base.bottom, base.width, STRIP);
  bar(below, below, "#1c1c1c", words);
  return new Promise((done) => sheet.toBlob(done, "image/png"));
}

/** What a saved picture shows, and where. */
export function captionOf(trial: Trial, mode: Mode, spot: string | undefined): string {
  const view = useViewport.getState();
  return [
    trial.name,
    trial.words,
    ...(trial.frames > 1 && mode !== "wall" ? [`frame ${trial.first + view.frame}`] : []),
    mode === "wall"
      ? `${zoomText(view.zoom ?? 1)} at every spot`
      : `${Math.round(view.x)}, ${Math.round(view.y)} in the middle`,
    ...(spot ? [spot] : []),
  ].join(" · ");
}

/** Offer a file for download. */
export function download(file: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = name;
  link.click();
  window.setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
