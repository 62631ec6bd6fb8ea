import type { Trial } from "../../api/client";
import { LetterPlate } from "../../ui/LetterPlate";
import { Cell } from "../../viewer/Cell";
import { useViewport } from "../../viewer/viewport";
import type { Choice } from "./useLook";

const STEPS: [string, number | null][] = [
  ["Fit", null],
  ["100 %", 1],
  ["200 %", 2],
];
const MOST = 3;

/** One place of two or three pictures in three zooms: a row a picture, the whole, 100 % and 200 %. */
export function Zooms({ trial, shown }: { trial: Trial; shown: Choice[] }) {
  const { extent, x, y, frame } = useViewport();
  const rows = shown
    .filter(({ id }, at) => shown.findIndex((other) => other.id === id) === at)
    .slice(0, MOST);
  return (
    <div
      className="grid min-h-0 flex-1 gap-0.5"
      style={{
        gridTemplateColumns: "2fr 3fr 3fr",
        gridTemplateRows: `repeat(${rows.length}, minmax(0, 1fr))`,
      }}
    >
      {rows.flatMap((choice) =>
        STEPS.map(([name, zoom]) => (
          <section
            key={choice.id + name}
            aria-label={`${choice.name}, ${name}`}
            className="flex min-h-0 min-w-0 flex-col"
          >
            <p
              data-caption={`${choice.plate}  ${choice.name}, ${name}`}
              className="flex h-8 shrink-0 items-center gap-2 bg-room px-2 text-note"
            >
              <LetterPlate letter={choice.plate} neutral />
              <span className="truncate font-semibold">{choice.name}</span>
              <span className="ml-auto shrink-0">{name}</span>
            </p>
            <div className="relative min-h-0 flex-1">
              {choice.picture ? (
                <Cell
                  picture={choice.picture}
                  extent={extent}
                  x={zoom === null ? trial.plan.target.width / 2 : x}
                  y={zoom === null ? trial.plan.target.height / 2 : y}
                  zoom={zoom}
                  frame={frame}
                  label={`${choice.name}, ${name}`}
                />
              ) : (
                <p className="p-2">{choice.waiting ?? "loading"}</p>
              )}
            </div>
          </section>
        )),
      )}
    </div>
  );
}
