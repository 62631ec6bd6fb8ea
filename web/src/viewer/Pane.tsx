import { useEffect, useRef, useState, type PointerEvent } from "react";
import { keyOf, paintScene, refineScene, sceneExact, sceneReady, type Scene } from "./scene";
import { usePlayer } from "./player";
import { REST_MS } from "./paint";
import { pointAt } from "./pointer";
import { followTiles } from "./tiles";
import { useViewport, zoomOf } from "./viewport";

interface Props {
  scene: Scene;
  label: string;
  /** Told after each drawing: the key of the scene that stands there with all its pixels, or null. */
  onShown?: (key: string | null) => void;
}

/** The browser's own count, which knows how a fractional edge was snapped, unless it forgets the scaling. */
function devicePixels(length: number, exact: number | undefined): number {
  const scaled = length * window.devicePixelRatio;
  return exact !== undefined && Math.abs(exact - scaled) < 2 ? exact : Math.round(scaled);
}

/** Watch the canvas's box in device pixels, so that 100 % is one picture pixel to one device pixel. */
function useDevicePixels(canvas: React.RefObject<HTMLCanvasElement | null>, redraw: () => void) {
  const setPane = useViewport((view) => view.setPane);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      const exact = entry?.devicePixelContentBoxSize?.[0];
      const width = devicePixels(element.clientWidth, exact?.inlineSize);
      const height = devicePixels(element.clientHeight, exact?.blockSize);
      element.width = width;
      element.height = height;
      setPane(width, height);
      redraw();
    });
    try {
      observer.observe(element, { box: "device-pixel-content-box" });
    } catch {
      observer.observe(element);
    }
    return () => observer.disconnect();
  }, [canvas, setPane, redraw]);
}

function usePointer() {
  const from = useRef<{ x: number; y: number } | null>(null);
  const panBy = useViewport((view) => view.panBy);
  return {
    onPointerDown: (event: PointerEvent<HTMLCanvasElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      from.current = { x: event.clientX, y: event.clientY };
    },
    onPointerLeave: () => pointAt(null),
    onPointerMove: (event: PointerEvent<HTMLCanvasElement>) => {
      pointAt({ canvas: event.currentTarget, x: event.clientX, y: event.clientY });
      if (!from.current) return;
      const scale = window.devicePixelRatio;
      panBy((event.clientX - from.current.x) * scale, (event.clientY - from.current.y) * scale);
      from.current = { x: event.clientX, y: event.clientY };
    },
    onPointerUp: () => (from.current = null),
    onPointerCancel: () => (from.current = null),
  };
}

/** Zoom about the pointer; not passive, since the page must not scroll meanwhile. */
function useWheel(canvas: React.RefObject<HTMLCanvasElement | null>) {
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const turn = (event: WheelEvent) => {
      event.preventDefault();
      const box = element.getBoundingClientRect();
      const scale = window.devicePixelRatio;
      const lines = event.deltaMode === WheelEvent.DOM_DELTA_LINE ? 16 : 1;
      useViewport
        .getState()
        .zoomAbout(
          (event.clientX - box.left - box.width / 2) * scale,
          (event.clientY - box.top - box.height / 2) * scale,
          Math.exp((-event.deltaY * lines) / 400),
        );
    };
    element.addEventListener("wheel", turn, { passive: false });
    return () => element.removeEventListener("wheel", turn);
  }, [canvas]);
}

/**
 * A scene in the shared viewport. One that is asked for takes the place of the one before only when all its pixels are
 * here, in one frame: no flash, and never an old picture under a new name.
 */
export function Pane({ scene, label, onShown }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const wanted = useRef(scene);
  const shown = useRef<Scene | null>(null);
  const frame = useRef(0);
  const rest = useRef(0);
  const told = useRef(onShown);
  const [draw] = useState(
    () =>
      function draw() {
        cancelAnimationFrame(frame.current);
        window.clearTimeout(rest.current);
        frame.current = requestAnimationFrame(() => {
          const shared = useViewport.getState();
          const next = wanted.current;
          if (!canvas.current) return;
          const { width, height } = canvas.current;
          const view = { ...shared, zoom: zoomOf(shared), pane: { width, height } };
          const same = shown.current && keyOf(next) === keyOf(shown.current);
          if (same || !shown.current || sceneReady(next, view)) shown.current = next;
          const whole = paintScene(canvas.current, shown.current, view);
          const key = whole ? keyOf(shown.current) : null;
          const heat = whole && shown.current.kind === "one" ? shown.current.heat : undefined;
          const moved = whole && shown.current.kind === "one" && shown.current.shift ? "true" : "";
          const mapped = heat ? `${heat.url}${heat.alone ? " alone" : ""}` : "";
          const pictures = whole ? shown.current.pictures.map(({ id }) => id).join(" ") : "";
          Object.assign(canvas.current.dataset, {
            shown: pictures,
            zoom: view.zoom,
            frame: view.frame,
            mapped,
            moved,
          });
          const exact = whole && sceneExact(canvas.current, shown.current, view);
          canvas.current.dataset.exact = exact ? "true" : "";
          const [stands, on] = [shown.current, canvas.current];
          if (whole && !exact && !usePlayer.getState().playing)
            rest.current = window.setTimeout(() => refineScene(on, stands, view) && draw(), REST_MS);
          told.current?.(key);
        });
      },
  );
  useDevicePixels(canvas, draw);
  useWheel(canvas);
  useEffect(() => {
    wanted.current = scene;
    told.current = onShown;
    draw();
  }, [scene, onShown, draw]);
  useEffect(() => {
    const stops = [
      useViewport.subscribe(draw),
      followTiles(draw),
      usePlayer.subscribe((now, before) => before.playing && !now.playing && draw()),
    ];
    return () => {
      stops.forEach((stop) => stop());
      window.clearTimeout(rest.current);
    };
  }, [draw]);
  const lift = useViewport((view) => view.lift);
  return (
    <canvas
      ref={canvas}
      style={lift > 1 && scene.kind !== "difference" ? { filter: `brightness(${lift})` } : undefined}
      role="img"
      aria-label={label}
      className="block size-full cursor-grab touch-none bg-[var(--surround)] active:cursor-grabbing"
      {...usePointer()}
    />
  );
}
