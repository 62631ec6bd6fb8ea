import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { thumbnail, type Source } from "../../api/client";
import { rateOf, timecode } from "../../ui/format";
import { Button } from "../../ui/parts";
import { useResting } from "../../ui/useResting";
import type { Part } from "./PartPick";

const AT_ONCE = 6;
const WIDTH = 288;

/** Small pictures of frames, fetched a few at a time in the order they are wanted. */
function useSmallFrames(picture: string, wanted: number[]): ReadonlyMap<number, HTMLImageElement> {
  const [frames, keep] = useState<ReadonlyMap<number, HTMLImageElement>>(new Map());
  const list = wanted.filter((frame) => !frames.has(frame)).join();
  useEffect(() => {
    let ended = false;
    const missing = list ? list.split(",").map(Number) : [];
    const fetchNext = async (): Promise<void> => {
      const frame = missing.shift();
      if (frame === undefined || ended) return;
      const image = new Image();
      image.src = thumbnail(picture, frame);
      try {
        await image.decode();
        keep((kept) => new Map(kept).set(frame, image));
      } catch {
        // The frame is left out; it is asked for again when another one is wanted.
      }
      return fetchNext();
    };
    for (let line = 0; line < AT_ONCE; line++) void fetchNext();
    return () => {
      ended = true;
    };
  }, [picture, list]);
  return frames;
}

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
  const loop = Array.from({ length: part.frames }, (_, place) => part.first + place);
  const frames = useSmallFrames(source.picture_id ?? "", playing ? loop : resting === null ? [] : [resting]);
  const here = loop.filter((frame) => frames.has(frame)).length;
  const ready = playing && here === loop.length;
  const { width, height } = source.facts ?? { width: 16, height: 9 };

  useLayoutEffect(() => {
    const image = frames.get(at);
    if (!image || !canvas.current) return; // what was there stays until the frame is here
    canvas.current.getContext("2d")?.drawImage(image, 0, 0, canvas.current.width, canvas.current.height);
    canvas.current.dataset.frame = String(at);
  }, [frames, at]);
  useEffect(() => {
    if (!ready) return;
    let handle = 0;
    const begun = performance.now();
    const tick = (now: number) => {
      handle = requestAnimationFrame(tick);
      show(part.first + (Math.floor((Math.max(0, now - begun) / 1000) * rate) % part.frames));
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
          className="max-h-48 w-full bg-[#777] object-contain"
        />
        <span className="absolute right-1 bottom-1 rounded-sm bg-[#1c1c1c] px-1 text-[12px] text-[#f0f0f0] tabular-nums">
          {playing && !ready ? `loading, ${here} of ${loop.length}` : timecode(at, rate)}
        </span>
      </div>
      <div className="flex items-center justify-between text-[14px]">
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
