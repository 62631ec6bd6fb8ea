import type { BreakEven as Found, Trial } from "../../api/client";
import { percent, seconds } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";

const inWords = ({ left, native }: Found) =>
  left > 0
    ? `Made small, a frame leaves ${seconds(left)} of the ${seconds(native)} of the native way for enlarging.`
    : "Made small, a frame leaves nothing for enlarging: the native way is quicker whatever the method.";

/** Does it pay to make the picture small and enlarge it? The native way is the whole length of a bar. */
export function BreakEven({ trial }: { trial: Trial }) {
  const found = trial.break_even;
  if (!found) return null;
  const fixed = (found.small + found.transfer) / found.native;
  const length = Math.max(1, ...found.entries.map(({ share }) => share));
  const width = (share: number) => `${(100 * share) / length}%`;
  const names = new Map(trial.entries.map((entry) => [entry.letter, entry]));
  return (
    <section className="mt-6" data-testid="break-even">
      <h2 className="mb-1 text-xl font-semibold">Does the shortcut pay?</h2>
      <p className="mb-2 max-w-prose text-soft">{inWords(found)}</p>
      <ul className="max-w-5xl space-y-1">
        {found.entries
          .filter(({ letter }) => !names.get(letter)?.control)
          .map(({ letter, seconds: taken, stated, share, used }) => (
            <li key={letter} className="grid grid-cols-[1.75rem_minmax(0,1fr)_25rem] items-center gap-3">
              <LetterPlate letter={letter} />
              <span className="relative block h-5 bg-well" aria-hidden>
                <span className="absolute inset-y-0 left-0 bg-line" style={{ width: width(fixed) }} />
                <span
                  className={`absolute inset-y-0 ${share < 1 ? "bg-ink" : "bg-accent"}`}
                  style={{ left: width(fixed), width: width(share - fixed) }}
                />
                <span className="absolute -inset-y-1 border-l-2 border-ink" style={{ left: width(1) }} />
              </span>
              <span className="text-small">
                {seconds(taken)}
                {stated && " stated"}: {percent(share)} of the native time
                {used != null && used < 1 && `, ${percent(used)} of what is left`}
                {share >= 1 && ", does not pay"}
              </span>
            </li>
          ))}
      </ul>
      <p className="mt-1 text-note text-soft">
        Grey: making it small{found.transfer > 0 && " and moving it about"}. Dark: enlarging. The line is the
        native way.
      </p>
    </section>
  );
}
