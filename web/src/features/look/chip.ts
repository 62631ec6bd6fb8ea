/** A button of the viewing room. */
export const CHIP =
  "min-w-6 rounded-sm px-1.5 py-1 hover:bg-room-field disabled:opacity-50 aria-pressed:bg-lamp aria-pressed:text-room-deep";

/** A field of the viewing room. */
export const FIELD = "rounded-sm border border-room-line bg-room px-1 py-0.5";
