import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { Trial } from "../../api/client";
import { useDraft } from "../../ui/useDraft";
import { useViewport } from "../../viewer/viewport";
import { SHARP, viewingSize } from "../../viewer/viewingSize";
import { CHIP, FIELD } from "./chip";

const FIRST = { shown: "120", from: "200", screen: "60", desk: "60" };
const ASKED: [keyof typeof FIRST, string][] = [
  ["shown", "Width of the print or screen they see"],
  ["from", "They see it from"],
  ["screen", "Width of this screen"],
  ["desk", "You see it from"],
];

/** The zoom at which one sees what the audience sees. */
export function ViewingSize({ pixels, audience }: { pixels: number; audience: Trial["setup"]["audience"] }) {
  const [own, ask] = useDraft("viewing size", FIRST);
  const said = audience && { shown: String(audience.width), from: String(audience.distance) };
  const asked = { ...own, ...said };
  const zoomTo = useViewport((view) => view.zoomTo);
  const [shown, from, screen, desk] = ASKED.map(([key]) => Number(asked[key].replace(",", ".")));
  const known = [shown, from, screen, desk].every((value) => value !== undefined && value > 0);
  const { zoom, perDegree } = viewingSize(
    pixels,
    { width: shown ?? 1, distance: from ?? 1 },
    {
      width: screen ?? 1,
      pixels: window.screen.width * window.devicePixelRatio,
      distance: desk ?? 1,
    },
  );
  return (
    <Popover className="relative">
      <PopoverButton className={CHIP} title="The zoom at which one sees what the audience sees">
        Viewing size
      </PopoverButton>
      <PopoverPanel anchor="bottom" className="z-10 w-96 rounded-sm bg-room p-4 text-small text-lamp">
        {ASKED.map(([key, words]) => (
          <label key={key} className="mb-1.5 flex items-center justify-between gap-2">
            {words}
            <span>
              <input
                inputMode="decimal"
                value={asked[key]}
                disabled={said ? key in said : false}
                onChange={(event) => ask({ ...asked, [key]: event.target.value })}
                className={`${FIELD} w-20 text-right`}
              />{" "}
              cm
            </span>
          </label>
        ))}
        {said && <p className="mb-1.5 text-lamp-soft">The first two are as the trial was set up.</p>}
        {known ? (
          <>
            <p className="my-2" data-testid="viewing-size">
              {Math.round(zoom * 1000) / 10} %: {Math.round(perDegree)} pixels a degree for the audience
              {perDegree > SHARP ? ", finer than sharp sight (60)." : ", within sharp sight (60)."}
            </p>
            <button type="button" className={`${CHIP} border border-room-line`} onClick={() => zoomTo(zoom)}>
              Show it so
            </button>
          </>
        ) : (
          <p role="alert" className="my-2">
            Four lengths above zero are needed.
          </p>
        )}
      </PopoverPanel>
    </Popover>
  );
}
