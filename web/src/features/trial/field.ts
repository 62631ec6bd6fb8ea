/** A number or a word to type on the set-up page. */
export const FIELD = "rounded-sm border border-line bg-sheet px-2 py-1";
