import { useEffect, useRef, useState, type PointerEvent } from "react";
import { onPane, useViewport, type Region, type Viewport } from "../../viewer/viewport";
import { pixelAt } from "../../viewer/pointer";

/** Something marked on the picture: a rectangle, or a point without width and height. */
export interface Mark extends Region {
  key: string;
  frame: number;
  name: string;
  /** A remark says how bad it is, 1 to 3; a spot does not. */
  severity?: number;
}

const FRAME = "outline-1 outline-lamp shadow-[0_0_0_2px_#1c1c1c]";

function MarkBox({ mark, pane }: { mark: Mark; pane: Viewport["pane"] | null }) {
  const view = useViewport();
  if (mark.frame !== view.frame) return null;
  const box = onPane({ ...view, pane: pane ?? view.pane }, mark);
  const point = mark.width === 0;
  return (
    <div
      data-testid={mark.severity ? "remark-box" : "spot-box"}
      className={`absolute ${point ? "size-3 -translate-1/2 rotate-45" : ""} ${FRAME}`}
      style={point ? { left: box.left, top: box.top } : box}
    >
      <span
        className={`absolute left-0 bg-room-deep px-1 text-fine leading-4 whitespace-nowrap text-lamp ${point ? "top-4 -rotate-45" : "top-full mt-0.5"}`}
      >
        {mark.severity ? `${mark.name} ${"•".repeat(mark.severity)}` : mark.name}
      </span>
    </div>
  );
}

interface Props {
  marks: Mark[];
  /** While a part is being marked: told what was drawn; a press without a drag is a point. */
  onDraw: ((part: Region) => void) | null;
}

/** What is marked, over the pixels of a pane; and the drawing of a new part. */
export function Marks({ marks, onDraw }: Props) {
  const from = useRef<{ x: number; y: number } | null>(null);
  const [drawn, draw] = useState<(Region & { frame: number }) | null>(null);
  const root = useRef<HTMLDivElement>(null);
  // Panes beside one another may differ by a pixel: a mark lies on the pixels of its own.
  const [pane, setPane] = useState<Viewport["pane"] | null>(null);
  useEffect(() => {
    const canvas = root.current?.parentElement?.querySelector("canvas");
    if (!canvas) return;
    const observer = new ResizeObserver(() =>
      requestAnimationFrame(() => setPane({ width: canvas.width, height: canvas.height })),
    );
    observer.observe(canvas);
    return () => observer.disconnect();
  }, []);
  const placeOf = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const shared = useViewport.getState();
    const view = { ...shared, pane: pane ?? shared.pane };
    const scale = window.devicePixelRatio;
    const clamp = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));
    const all = onPane(view, { left: 0, top: 0, ...view.extent });
    const x = clamp(event.clientX - box.left, all.left, all.left + all.width - 0.01);
    const y = clamp(event.clientY - box.top, all.top, all.top + all.height - 0.01);
    return pixelAt(view, { x: (x - box.width / 2) * scale, y: (y - box.height / 2) * scale });
  };
  const partTo = (event: PointerEvent<HTMLElement>): Region | null => {
    const [begin, end] = [from.current, placeOf(event)];
    if (!begin || !end) return null;
    const [left, top] = [Math.min(begin.x, end.x), Math.min(begin.y, end.y)];
    return { left, top, width: Math.abs(begin.x - end.x), height: Math.abs(begin.y - end.y) };
  };
  return (
    <div
      ref={root}
      data-testid="marks"
      className={`absolute inset-0 overflow-hidden ${onDraw ? "cursor-crosshair touch-none" : "pointer-events-none"}`}
      onWheel={({ currentTarget, nativeEvent }) => {
        // What lies over the picture while a part is marked does not keep the wheel from it.
        const canvas = currentTarget.parentElement?.querySelector("canvas");
        canvas?.dispatchEvent(new WheelEvent(nativeEvent.type, nativeEvent));
      }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = placeOf(event);
      }}
      onPointerMove={(event) => {
        const part = partTo(event);
        draw(part && { ...part, frame: useViewport.getState().frame });
      }}
      onPointerUp={(event) => {
        const part = partTo(event);
        from.current = null;
        draw(null);
        if (part) onDraw?.(part);
      }}
      onPointerCancel={() => {
        from.current = null;
        draw(null);
      }}
    >
      {marks.map((mark) => (
        <MarkBox key={mark.key} mark={mark} pane={pane} />
      ))}
      {drawn && (
        <MarkBox mark={{ key: "drawn", name: `${drawn.width} × ${drawn.height}`, ...drawn }} pane={pane} />
      )}
    </div>
  );
}
