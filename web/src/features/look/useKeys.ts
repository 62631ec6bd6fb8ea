import { useEffect } from "react";
import { redo, undo } from "../../api/marks";
import { usePlayer } from "../../viewer/player";
import { useViewport } from "../../viewer/viewport";
import type { Mode } from "./useLook";

export const KEYS: [string, string][] = [
  ["1 – 9", "Put entry A – I into the active pane; with Shift J – R"],
  ["I (hold)", "See the input in the active pane"],
  ["T (hold)", "See the truth in the active pane"],
  ["B", "Back to what the active pane showed before, and forth again"],
  ["A", "Flip by itself through the entries that are not retired"],
  ["Z", "Flip between the two finalists at the first spot"],
  ["[  ]", "Make the pane (or side) before or after active"],
  ["P", "Panes: one picture each"],
  ["Shift P", "Pin the active pane: what it shows stays there"],
  ["W", "Wipe: two pictures and a divider; arrow keys move it when it has the focus"],
  ["D", "Difference of two pictures"],
  ["Q", "Wall: every entry at every spot"],
  ["R", "Three zooms of one place"],
  ["O", "Over time: the row or column in the middle, over all frames of a clip; a click goes to a frame"],
  ["X", "Swap the two sides of a wipe or difference"],
  ["F", "Fit"],
  ["G", "100 %: one picture pixel to one device pixel"],
  ["H", "200 %"],
  ["J", "The trial's factor"],
  ["+  −", "Zoom in or out"],
  ["Arrows", "Move; in a clip left and right step a frame, with Shift they move"],
  ["Space", "Play or stop the part between in and out"],
  ["Shift I, Shift O", "Play from here, play to here"],
  ["S", "Smooth or exact pixels above 100 %"],
  ["L", "Lift: show dark pictures 2, 4 or 8 times brighter; their values stay"],
  ["U", "Loupe at the pointer in every pane"],
  ["N", "Mark a part or a point: measure it, make it a spot, write a remark"],
  ["M", "Measure the part that is seen"],
  ["K", "Show or hide what is marked"],
  ["Y", "The next map of faults, or none"],
  ["V", "Go to the worst place of the map"],
  ["C", "Save what is shown as a PNG with a caption"],
  ["E", "Show or hide the tray"],
  ["Escape", "Close the strip, stop marking"],
  ["Ctrl Z", "Undo a spot, a remark or a standing; with Shift do it again"],
  ["?", "This list"],
];

const STEP = 80;

interface Wiring {
  factor: number;
  letters: string[];
  put: (letter: string) => void;
  hold: (id: string | null) => void;
  turn: (step: number) => void;
  help: () => void;
  panes: () => void;
  compare: (mode: Mode) => void;
  swap: () => void;
  back: () => void;
  pin: () => void;
  /** What other keys do, by the key in small letters. */
  more: Record<string, () => void>;
}

/** All keys of the Look page. */
export function useKeys(wiring: Wiring) {
  const { factor, letters, put, hold, turn, help, panes, compare, swap, back, pin, more } = wiring;
  useEffect(() => {
    const view = useViewport.getState;
    const player = usePlayer.getState;
    const moments: Record<string, () => void> = {
      arrowleft: () => player().step(-1),
      arrowright: () => player().step(1),
    };
    const shifted: Record<string, () => void> = { i: player().markIn, o: player().markOut };
    const middle = (ratio: number) => view().zoomAbout(0, 0, ratio);
    const acts: Record<string, () => void> = {
      f: () => view().zoomTo(null),
      g: () => view().zoomTo(1),
      h: () => view().zoomTo(2),
      j: () => view().zoomTo(factor),
      "+": () => middle(1.25),
      "=": () => middle(1.25),
      "-": () => middle(0.8),
      i: () => hold("input"),
      t: () => hold("truth"),
      "[": () => turn(-1),
      "]": () => turn(1),
      p: panes,
      q: () => compare("wall"),
      r: () => compare("zooms"),
      w: () => compare("wipe"),
      d: () => compare("difference"),
      o: () => compare("time"),
      x: swap,
      b: back,
      ...more,
      "?": help,
      arrowleft: () => view().panBy(STEP, 0),
      arrowright: () => view().panBy(-STEP, 0),
      " ": player().toggle,
      arrowup: () => view().panBy(0, STEP),
      arrowdown: () => view().panBy(0, -STEP),
    };
    const down = (event: KeyboardEvent) => {
      const inField =
        event.target instanceof Element &&
        event.target.closest("input, textarea, select, [role=listbox], [role=dialog], [role=slider]");
      const key = event.key.toLowerCase();
      if (!inField && (event.ctrlKey || event.metaKey) && key === "z") {
        event.preventDefault();
        return void (event.shiftKey ? redo() : undo());
      }
      if (inField || event.ctrlKey || event.metaKey || event.altKey) return;
      // Where a keyboard writes a digit with Shift, that is the digit; elsewhere Shift reaches the entries from J on.
      const upper = event.shiftKey ? Number(/^Digit([1-9])$/.exec(event.code)?.[1]) + 9 : NaN;
      const letter = letters[(Number(event.key) || upper) - 1];
      const moving = player().frames > 1 && (event.shiftKey ? shifted : moments)[key];
      const other = event.shiftKey && key === "p" ? pin : acts[key];
      const act = letter ? () => put(letter) : moving || other;
      if (!act || (event.repeat && letter)) return;
      if (key === " " && event.target instanceof HTMLButtonElement) return; // it is pressed by it
      event.preventDefault();
      act();
    };
    const up = (event: KeyboardEvent) => {
      if (["i", "t"].includes(event.key.toLowerCase())) hold(null);
    };
    const away = () => hold(null);
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", away);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", away);
    };
  }, [factor, letters, put, hold, turn, help, panes, compare, swap, back, pin, more]);
}
