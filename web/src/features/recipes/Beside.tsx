import { useDifferences, type Fingerprint } from "../../api/fingerprints";
import { Button, Trouble } from "../../ui/parts";
import { Plates, Plots } from "./Fingerprint";

const shown = (value: number | null | undefined, unit: string) =>
  value === null || value === undefined ? "–" : `${Number(value.toPrecision(3))} ${unit}`.trim();

/** Two methods, or two versions of one, over one another: what changes in words, all figures, plots and pictures. */
export function Beside({
  first,
  second,
  nameOf,
  close,
}: {
  first: Fingerprint;
  second: Fingerprint;
  nameOf: (one: Fingerprint) => string;
  close: () => void;
}) {
  const found = useDifferences(first, second);
  const words = found.data?.flatMap(({ words }) => words || []) ?? [];
  const named = [first, second].map((one) => ({ name: nameOf(one), one }));
  const measured = named.flatMap(({ name, one }) => (one.found ? [{ name, found: one.found }] : []));
  return (
    <section className="mb-6 border border-line bg-sheet p-4" aria-labelledby="beside" data-testid="beside">
      <header className="flex items-start justify-between gap-4">
        <h2 id="beside" className="text-xl font-semibold">
          {nameOf(first)} beside {nameOf(second)}
        </h2>
        <Button tone="quiet" onClick={close}>
          Close
        </Button>
      </header>
      <Trouble error={found.error} />
      {found.data && (
        <>
          <p className="mb-3 max-w-prose">
            {words.length > 0
              ? `${nameOf(second)}: ${words.join(", ")}.`
              : "Nothing that these charts show tells them apart."}
          </p>
          <div className="grid gap-8 xl:grid-cols-[22rem_1fr]">
            <table className="h-fit text-small">
              <thead>
                <tr>
                  <td />
                  {named.map(({ name }) => (
                    <th key={name} scope="col" className="max-w-28 pl-4 text-right align-bottom font-medium">
                      {name}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {found.data.map(({ name, unit, first: one, second: two, words }) => (
                  <tr key={name} className="border-t border-line">
                    <th scope="row" className="text-left font-normal first-letter:uppercase">
                      {name}
                    </th>
                    {[one, two].map((value, at) => (
                      <td
                        key={at}
                        className={`pl-4 text-right whitespace-nowrap ${words ? "font-semibold" : "text-soft"}`}
                      >
                        {shown(value, unit)}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
            <Plots named={measured} />
          </div>
          <Plates named={named} />
        </>
      )}
    </section>
  );
}
