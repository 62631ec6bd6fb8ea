import { useEffect, useState } from "react";

/** Put one entry after the other into the active pane, every so many seconds, while it is on. */
export function useFlipping(
  letters: string,
  put: (letter: string) => void,
  now: string | undefined,
  possible: boolean,
) {
  const [on, setOn] = useState(false);
  const [pace, setPace] = useState(1);
  useEffect(() => {
    if (!on || !possible || letters.length < 2) return;
    const next = letters[(letters.indexOf(now ?? "") + 1) % letters.length];
    const timer = window.setTimeout(() => next && put(next), pace * 1000);
    return () => window.clearTimeout(timer);
  }, [on, possible, pace, letters, put, now]);
  return { on, pace, setPace, turn: () => setOn(!on) };
}
