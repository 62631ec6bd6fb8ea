/** Entries are told apart by letter and edge pattern; colour plays no part, so that any eye can. */
export const DASHES = ["", "7 3", "2 2.5", "9 2 2 2", "5 2 5 6", "1 4", "12 4", "4 1.5", "9 2 2 2 2 2", "3 6", "6 1 1 1", "1 2 6 2",
  "14 2", "8 8", "3 1", "10 3 1 3", "6 3 6 6", "1 1", "12 2 2 2", "2 6", "5 1 1 1 1 1", "8 2 8 6", "3 3 9 3", "1 3 3 3", "16 4 4 4", "4 2 1 2"]; // prettier-ignore

export function dashOf(letter: string): string {
  return (letter.length === 1 && DASHES[letter.charCodeAt(0) - 65]) || "";
}
