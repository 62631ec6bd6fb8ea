/** A button of the viewing room. */
export const CHIP =
  "min-w-6 rounded-sm px-1.5 py-1 hover:bg-[#4f4f4f] disabled:opacity-50 aria-pressed:bg-[#e8e8e8] aria-pressed:text-[#1c1c1c]";

/** A field of the viewing room. */
export const FIELD = "rounded-sm border border-[#8a8a8a] bg-[#2b2b2b] px-1 py-0.5";
