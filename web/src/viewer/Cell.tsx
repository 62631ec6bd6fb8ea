import { memo, useEffect, useRef } from "react";
import type { Picture } from "../api/client";
import { isExact, paint, paintPart, pictureZoom, ready, refine, REST_MS } from "./paint";
import { followTiles } from "./tiles";
import { surroundOf, useViewport } from "./viewport";

/** A cell stays empty for so long before what is not here yet is stood in for: most come before, and are drawn once. */
const STAND_IN_MS = 400;

interface Props {
  picture: Picture;
  /** The truth's size, and what stands in the middle of the cell. */
  extent: { width: number; height: number };
  x: number;
  y: number;
  /** Device pixels per truth pixel; null fits the whole picture. */
  zoom: number | null;
  frame: number;
  label: string;
  /** It stays where it is: from 100 % on it is drawn from a sheet of parts instead of the picture's tiles. */
  stays?: boolean;
}

/** A picture at a place and zoom of its own, with the shared smoothing and lift; it does not pan. */
export const Cell = memo(function Cell({ picture, extent, x, y, zoom, frame, label, stays = false }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const smooth = useViewport((view) => view.smooth);
  const lift = useViewport((view) => view.lift);
  const ground = useViewport((view) => view.surround);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    let asked = 0;
    let [whole, rest, late] = [false, 0, 0];
    let pane = { width: 1, height: 1 };
    const draw = () => {
      asked = 0;
      const view = { extent, pane, x, y, zoom, smooth, frame, lift, surround: ground };
      if (stays && pictureZoom(picture, view) >= 1) {
        whole = paintPart(element, picture, view, surroundOf(view));
        Object.assign(element.dataset, { shown: whole ? picture.id : "", exact: whole ? "true" : "" });
        return;
      }
      if (!ready(picture, view) && late >= 0) {
        Object.assign(element.dataset, { shown: "", exact: "" });
        late ||= window.setTimeout(() => {
          late = -1;
          draw();
        }, STAND_IN_MS);
        return;
      }
      // A canvas that has its size is sent to the screen: not before there is something on it.
      if (element.width !== pane.width || element.height !== pane.height) Object.assign(element, pane);
      const surround = surroundOf(view);
      whole = paint(element, picture, view, surround);
      const exact = isExact(element, picture, view, surround);
      Object.assign(element.dataset, { shown: whole ? picture.id : "", exact: whole && exact ? "true" : "" });
      window.clearTimeout(rest);
      if (whole && !exact)
        rest = window.setTimeout(() => refine(element, picture, view, surround) && draw(), REST_MS);
    };
    const later = () => (asked ||= requestAnimationFrame(draw));
    // The size comes with the notice: asking for it anew would lay the page out again for every cell.
    const observer = new ResizeObserver(([notice]) => {
      if (!notice) return;
      const scale = window.devicePixelRatio;
      const { width, height } = notice.contentRect;
      pane = {
        width: Math.max(1, Math.round(width * scale)),
        height: Math.max(1, Math.round(height * scale)),
      };
      draw();
    });
    observer.observe(element);
    const stop = followTiles((url) => {
      if (!element.dataset.exact && url.includes(picture.id)) later();
    });
    return () => {
      observer.disconnect();
      stop();
      window.clearTimeout(rest);
      window.clearTimeout(late);
      cancelAnimationFrame(asked);
    };
  }, [picture, extent, x, y, zoom, frame, smooth, lift, ground, stays]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={label}
      style={lift > 1 ? { filter: `brightness(${lift})` } : undefined}
      className="block size-full bg-[var(--surround)]"
    />
  );
});
