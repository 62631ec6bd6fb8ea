import { useSearchParams } from "react-router";
import type { Entry, Measure, Trial } from "../../api/client";
import { useSideBySide } from "../../api/marks";
import { seconds } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { FIELD, Trouble } from "../../ui/parts";

/** The two that the address names; else the finalists, else the first two that are done. */
function pairOf(trial: Trial, named: string | null): Entry[] {
  const racing = trial.entries.filter(({ control, state }) => !control && state === "done");
  const asked = (named ?? "").split(",").flatMap((one) => racing.filter(({ letter }) => letter === one));
  const finalists = racing.filter(({ standing }) => standing === "finalist");
  return [asked, finalists, racing].find((some) => new Set(some).size >= 2)?.slice(0, 2) ?? [];
}

const valueOf = (entry: Entry, { id, digits }: Measure) => {
  const score = entry.scores[id];
  if (!score || score.note) return "–";
  return score.value == null ? "equal" : score.value.toFixed(digits);
};

interface RowProps {
  name: string;
  pair: [string, string];
  /** Which of the two stands out; neither where they are tied, or nobody knows. */
  better?: 0 | 1 | null;
  tied?: boolean;
}

function Row({ name, pair, better = null, tied = false }: RowProps) {
  return (
    <tr className="border-t border-line">
      <th scope="row" className="py-0.5 pr-4 text-left font-normal first-letter:uppercase">
        {name}
      </th>
      {pair.map((value, at) => (
        <td
          key={at}
          className={`py-0.5 pl-4 text-right wrap-anywhere ${better === at ? "font-semibold" : ""} ${tied ? "text-soft" : ""}`}
        >
          {value || "–"}
          {better === at && <span className="sr-only">, the better one</span>}
        </td>
      ))}
    </tr>
  );
}

function Head({ name, pair }: { name: string; pair: Entry[] }) {
  return (
    <thead>
      <tr>
        <th scope="col" className="text-left font-medium">
          {name}
        </th>
        {pair.map(({ letter }) => (
          <th key={letter} scope="col" className="pl-4 text-right font-medium">
            {letter}
          </th>
        ))}
      </tr>
    </thead>
  );
}

/** Two entries beside one another: how each was made, what differs first, and what that does to the figures. */
export function Beside({ trial }: { trial: Trial }) {
  const [params, setParams] = useSearchParams();
  const [first, second] = pairOf(trial, params.get("beside"));
  const done = trial.entries.filter(({ state }) => state === "done").length;
  const found = useSideBySide(trial.id, first?.letter ?? "", second?.letter ?? "", done);
  if (!first || !second) return null;
  const racing = trial.entries.filter(({ control, state }) => !control && state === "done");
  const choose = (at: number, letter: string) =>
    setParams(
      (now) => {
        const pair = [first.letter, second.letter];
        if (pair[1 - at] === letter) pair.reverse();
        else pair[at] = letter;
        now.set("beside", pair.join(","));
        return now;
      },
      { replace: true, preventScrollReset: true },
    );
  const { settings = [], better = {} } = found.data ?? {};
  const side = (id: string) => (better[id] === first.letter ? 0 : better[id] === second.letter ? 1 : null);
  const differing = settings.filter(({ differs }) => differs);
  const alike = settings.filter(({ differs }) => !differs);
  const measures = trial.measures.filter(({ id }) => id in better);
  const apart = measures.filter(({ id }) => better[id] !== "tied");
  const times = [first, second].map(({ timing }) => (timing?.median == null ? "–" : seconds(timing.median)));
  return (
    <section className="mt-6" aria-labelledby="two" data-testid="two">
      <h2 id="two" className="mb-2 text-xl font-semibold">
        Two beside one another
      </h2>
      <Trouble error={found.error} />
      <div className="mb-3 flex flex-wrap gap-4">
        {[first, second].map((entry, at) => (
          <label key={at} className="flex items-center gap-2">
            <LetterPlate letter={entry.letter} />
            <select
              aria-label={at === 0 ? "The first" : "The second"}
              value={entry.letter}
              onChange={(event) => choose(at, event.target.value)}
              className={FIELD}
            >
              {racing.map(({ letter, name }) => (
                <option key={letter} value={letter}>
                  {letter} {name}
                </option>
              ))}
            </select>
          </label>
        ))}
      </div>
      <div className="grid gap-8 lg:grid-cols-2">
        <table className="h-fit text-small" data-testid="two-settings">
          <Head name="How they were made" pair={[first, second]} />
          <tbody>
            {differing.map((each, at) => (
              <Row key={at} name={each.name} pair={[each.first, each.second]} better={null} />
            ))}
            {differing.length === 0 && found.data && (
              <tr className="border-t border-line">
                <td colSpan={3}>Nothing that is known of them differs.</td>
              </tr>
            )}
            {alike.length > 0 && (
              <tr className="border-t border-line">
                <td colSpan={3} className="pt-2 text-soft">
                  The same in both: {alike.map(({ name, first: value }) => `${name} ${value}`).join("; ")}.
                </td>
              </tr>
            )}
          </tbody>
        </table>
        <table className="h-fit text-small" data-testid="two-figures">
          <Head name="What it does to the figures" pair={[first, second]} />
          <tbody>
            {apart.map((measure) => (
              <Row
                key={measure.id}
                name={`${measure.name}${measure.unit && `, ${measure.unit}`}`}
                pair={[valueOf(first, measure), valueOf(second, measure)]}
                better={side(measure.id)}
              />
            ))}
            {times.some((time) => time !== "–") && (
              <Row
                name="Time a frame"
                pair={[times[0] ?? "–", times[1] ?? "–"]}
                better={side("time")}
                tied={better.time === "tied"}
              />
            )}
            {measures.length > apart.length && (
              <tr className="border-t border-line">
                <td colSpan={3} className="pt-2 text-soft">
                  Not to be told apart:{" "}
                  {measures
                    .filter(({ id }) => better[id] === "tied")
                    .map(({ name }) => name.toLowerCase())
                    .join(", ")}
                  .
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
    </section>
  );
}
