/** A button of the viewing room. */
export const CHIP =
  "rounded-sm px-2 py-1 hover:bg-[#5a5a5a] aria-pressed:bg-[#e8e8e8] aria-pressed:text-[#1c1c1c]";
