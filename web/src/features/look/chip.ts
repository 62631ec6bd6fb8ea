/** A button of the viewing room. */
export const CHIP =
  "min-w-6 rounded-sm px-1.5 py-1 hover:bg-[#5a5a5a] aria-pressed:bg-[#e8e8e8] aria-pressed:text-[#1c1c1c]";
