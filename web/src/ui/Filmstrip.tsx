import { useState } from "react";
import { thumbnail, type Source } from "../api/client";
import { rateOf, timecode } from "./format";
import { Thumbnail } from "./Thumbnail";

/** A clip's picture that follows the pointer from its first frame at the left to its last at the right. */
export function Scrubbed({
  source,
  small = false,
  className = "",
}: {
  source: Source;
  /** Too small for the moment's timecode. */
  small?: boolean;
  className?: string;
}) {
  const strip = source.facts?.strip ?? [0];
  const [place, setPlace] = useState(0);
  const frame = strip[Math.min(place, strip.length - 1)] ?? 0;
  if (!source.picture_id) return null;
  const moving = strip.length > 1;
  const shape = `max-h-full max-w-full object-contain ${className}`;
  return (
    <div
      className="relative flex h-full w-full items-center justify-center"
      onPointerMove={(event) => {
        const box = event.currentTarget.getBoundingClientRect();
        setPlace(Math.max(0, Math.floor(((event.clientX - box.left) / box.width) * strip.length)));
      }}
    >
      {frame === 0 ? (
        <Thumbnail picture={source.picture_id} className={shape} />
      ) : (
        <img src={thumbnail(source.picture_id, frame)} alt="" className={shape} />
      )}
      {moving && !small && (
        <span className="absolute right-1 bottom-1 rounded-sm bg-room-deep px-1 text-fine text-lamp tabular-nums">
          {timecode(frame, rateOf(source.facts?.rate))}
        </span>
      )}
    </div>
  );
}
