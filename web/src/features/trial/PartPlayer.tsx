import { useEffect, useLayoutEffect, useReducer, useRef, useState } from "react";
import { thumbnail, type Source } from "../../api/client";
import { rateOf, timecode } from "../../ui/format";
import { Button } from "../../ui/parts";
import { useResting } from "../../ui/useResting";
import { frameAt } from "../../viewer/player";
import { followTiles, isHere, tile } from "../../viewer/tiles";
import type { Part } from "./PartPick";

const AHEAD = 12; // frames: small pictures are made so many at once
const WIDTH = 288;
const REFRESH = 1 / 60;

interface Props {
  source: Source;
  part: Part;
  /** The frame that is shown. */
  at: number;
  show: (frame: number) => void;
  setIn: (frame: number) => void;
  setOut: (frame: number) => void;
}

/** The frame at the playhead, and the part as it moves; Space, arrow keys, I and O when it has the focus. */
export function PartPlayer({ source, part, at, show, setIn, setOut }: Props) {
  const [playing, play] = useState(false);
  const canvas = useRef<HTMLCanvasElement>(null);
  const count = source.facts?.frames ?? 1;
  const rate = rateOf(source.facts?.rate);
  const resting = useResting(at);
  const [, heard] = useReducer((count: number) => count + 1, 0);
  useEffect(() => followTiles(heard), []);
  const url = (frame: number) => thumbnail(source.picture_id ?? "", frame);
  const loop = Array.from({ length: part.frames }, (_, place) => part.first + place);
  const missing = loop.filter((frame) => !isHere(url(frame)));
  const ready = playing && missing.length === 0;
  const { width, height } = source.facts ?? { width: 16, height: 9 };

  useLayoutEffect(() => {
    if (playing) missing.slice(0, AHEAD).forEach((frame) => tile(url(frame)));
    const bitmap = at === resting || isHere(url(at)) ? tile(url(at)) : null;
    if (!bitmap || !canvas.current) return; // what was there stays until the frame is here
    canvas.current.getContext("2d")?.drawImage(bitmap, 0, 0, canvas.current.width, canvas.current.height);
    canvas.current.dataset.frame = String(at);
  });
  useEffect(() => {
    if (!ready) return;
    let handle = 0;
    const begun = performance.now();
    const tick = (now: number) => {
      handle = requestAnimationFrame(tick);
      const elapsed = Math.max(0, now - begun) / 1000;
      show(frameAt(elapsed, REFRESH, rate, part.first, part.frames));
    };
    handle = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(handle);
  }, [ready, part.first, part.frames, rate, show]);

  const step = (by: number) => {
    play(false);
    show(Math.min(count - 1, Math.max(0, at + by)));
  };
  const keys: Record<string, () => void> = {
    " ": () => play(!playing),
    ArrowLeft: () => step(-1),
    ArrowRight: () => step(1),
    i: () => setIn(at),
    o: () => setOut(at),
  };
  return (
    <div
      role="group"
      tabIndex={0}
      aria-label="Player: Space plays, arrow keys step, I and O set in and out"
      className="grid w-72 gap-1"
      onKeyDown={(event) => {
        const act = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
        if (!act || event.ctrlKey || event.metaKey || event.altKey || event.target !== event.currentTarget)
          return;
        event.preventDefault();
        act();
      }}
    >
      <div className="relative">
        <canvas
          ref={canvas}
          width={2 * WIDTH}
          height={Math.max(1, Math.round((2 * WIDTH * height) / width))}
          aria-hidden
          className="max-h-48 w-full bg-surround object-contain"
        />
        <span className="absolute right-1 bottom-1 rounded-sm bg-room-deep px-1 text-fine text-lamp tabular-nums">
          {playing && !ready
            ? `loading, ${loop.length - missing.length} of ${loop.length}`
            : timecode(at, rate)}
        </span>
      </div>
      <div className="flex items-center justify-between text-small">
        <Button tone="quiet" className="!py-0" aria-label="Frame before" onClick={() => step(-1)}>
          ‹
        </Button>
        <Button tone="quiet" className="!py-0" onClick={() => play(!playing)}>
          {playing ? "Stop" : "Play"}
        </Button>
        <Button tone="quiet" className="!py-0" aria-label="Next frame" onClick={() => step(1)}>
          ›
        </Button>
        <Button tone="quiet" className="!py-0" onClick={() => setIn(at)}>
          In here (I)
        </Button>
        <Button tone="quiet" className="!py-0" onClick={() => setOut(at)}>
          Out here (O)
        </Button>
      </div>
    </div>
  );
}
