import { Switch } from "@headlessui/react";
import { useDeferredValue, useState } from "react";
import { thumbnail, type Source, type TruthSetup } from "../../api/client";
import { usePreview } from "../../api/queries";
import { Trouble } from "../../ui/parts";

interface DamageAmount {
  key: "blur" | "noise" | "underexposed" | "jpeg" | "weave" | "flicker" | "h264" | "mpeg2";
  name: string;
  unit: string;
  max: number;
  step: number;
  usual: number;
}

const AMOUNTS: DamageAmount[] = [
  { key: "blur", name: "Blur", unit: "px of the truth, sigma", max: 10, step: 0.1, usual: 1 },
  { key: "noise", name: "Even noise", unit: "code values (cv), sigma", max: 100, step: 1, usual: 10 },
  { key: "underexposed", name: "Sensor noise", unit: "stops too little light", max: 12, step: 0.5, usual: 4 },
];
const JPEG: DamageAmount = {
  key: "jpeg",
  name: "JPEG",
  unit: "quality, 1 to 100",
  max: 100,
  step: 1,
  usual: 70,
};

const OF_CAPTURE: DamageAmount[] = [
  { key: "weave", name: "Gate weave", unit: "px of the truth, sigma", max: 20, step: 0.1, usual: 1 },
  { key: "flicker", name: "Flicker", unit: "% of the light, sigma", max: 50, step: 1, usual: 5 },
];
const CODECS: DamageAmount[] = [
  { key: "h264", name: "H.264", unit: "rate factor, 1 to 51", max: 51, step: 1, usual: 28 },
  { key: "mpeg2", name: "MPEG-2", unit: "quantiser, 1 to 31", max: 31, step: 1, usual: 8 },
];
/** Amounts that are absent where they are off. */
const ABSENT = new Set(["jpeg", "h264", "mpeg2"]);
const FIELDS: TruthSetup["fields"][] = ["progressive", "upper first", "lower first"];

interface DamageProps {
  setup: TruthSetup;
  change: (part: Partial<TruthSetup>) => void;
}

/** One kind of damage: off at 0, a usual amount when it is switched on. */
function Amount({ amount, setup, change }: DamageProps & { amount: DamageAmount }) {
  const { key, name, unit, max, step, usual } = amount;
  const value = setup[key] ?? 0;
  const onChange = (next: number) => change({ [key]: ABSENT.has(key) ? next || null : next });
  return (
    <div className="grid h-8 grid-cols-[2.5rem_6.5rem_auto] items-center gap-2">
      <Toggle name={name} on={value > 0} onChange={(on) => onChange(on ? usual : 0)} />
      <span className={value > 0 ? "" : "text-soft"}>{name}</span>
      <label className={`flex items-center gap-2 ${value > 0 ? "" : "invisible"}`}>
        <input
          type="number"
          aria-label={`${name}, ${unit}`}
          min={0}
          max={max}
          step={step}
          value={value}
          onChange={(event) => event.target.value && onChange(Number(event.target.value))}
          className="w-20 rounded-sm border border-line bg-sheet px-2 py-0.5"
        />
        <span className="text-small text-soft">{unit}</span>
      </label>
    </div>
  );
}

function Toggle({ name, on, onChange }: { name: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <Switch
      checked={on}
      onChange={onChange}
      aria-label={name}
      className="h-5 w-9 rounded-sm border border-ink bg-sheet p-0.5 data-checked:bg-accent"
    >
      <span className={`block h-full w-1/2 bg-ink ${on ? "translate-x-full bg-sheet" : ""}`} />
    </Switch>
  );
}

/** A kind of damage that is there or not. */
function Step({ name, on, onChange }: { name: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <div className="grid grid-cols-[2.5rem_auto] items-center gap-2">
      <Toggle name={name} on={on} onChange={onChange} />
      <span className={on ? "" : "text-soft"}>{name}</span>
    </div>
  );
}

/** What becomes of a clip's frames after each was damaged by itself. */
function OfClips({ setup, change }: DamageProps) {
  return (
    <>
      <Step name="Every other frame dropped" on={setup.hold} onChange={(hold) => change({ hold })} />
      <label className="flex h-8 items-center gap-2">
        Frames
        <select
          value={setup.fields}
          onChange={(event) => change({ fields: event.target.value as TruthSetup["fields"] })}
          className="rounded-sm border border-line bg-sheet px-1.5 py-0.5"
        >
          {FIELDS.map((fields) => (
            <option key={fields} value={fields}>
              {fields === "progressive" ? fields : `interlaced, ${fields}`}
            </option>
          ))}
        </select>
      </label>
      {CODECS.map((amount) => (
        <Amount key={amount.key} amount={amount} setup={setup} change={change} />
      ))}
    </>
  );
}

/** Damage beside the shrinking, in the order in which it is done; some of it only a clip can have. */
export function Damage({ setup, change, moving }: DamageProps & { moving: boolean }) {
  return (
    <fieldset className="grid gap-y-1 lg:grid-cols-2">
      <legend className="mb-1 text-note text-soft">Damage, done in this order</legend>
      {moving &&
        OF_CAPTURE.map((amount) => <Amount key={amount.key} amount={amount} setup={setup} change={change} />)}
      {AMOUNTS.map((amount) => (
        <Amount key={amount.key} amount={amount} setup={setup} change={change} />
      ))}
      <Step name="8-bit step" on={setup.eight_bit} onChange={(on) => change({ eight_bit: on })} />
      <Step
        name="Colour at half the size (4:2:0)"
        on={setup.half_chroma}
        onChange={(on) => change({ half_chroma: on })}
      />
      <Amount amount={JPEG} setup={setup} change={change} />
      {moving && <OfClips setup={setup} change={change} />}
    </fieldset>
  );
}

const STEP = 0.05;
const STEPS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Truth and input of the set-up side by side on a crop; a press on the small picture or arrow keys move the crop. */
export function InputPreview({ source, setup, frame }: { source: Source; setup: TruthSetup; frame: number }) {
  const [place, setPlace] = useState({ across: 0.5, down: 0.5 });
  const shown = usePreview(source.id, useDeferredValue(setup), { frame: useDeferredValue(frame), ...place });
  const picture = (data: string) => `data:image/png;base64,${data}`;
  const within = (share: number) => Math.min(1, Math.max(0, share));
  const step = (event: React.KeyboardEvent) => {
    const [right, down] = STEPS[event.key] ?? [0, 0];
    if (!right && !down) return;
    event.preventDefault();
    setPlace((now) => ({ across: within(now.across + right * STEP), down: within(now.down + down * STEP) }));
  };
  const move = (event: React.MouseEvent<HTMLElement>) => {
    if (event.detail === 0) return; // pressed by a key, which has no place
    const box = event.currentTarget.getBoundingClientRect();
    setPlace({
      across: within((event.clientX - box.left) / box.width),
      down: within((event.clientY - box.top) / box.height),
    });
  };
  return (
    <section className="space-y-1" aria-label="The input on a crop">
      <Trouble error={shown.error} />
      <div className="flex gap-2">
        {(["truth", "input"] as const).map((part) => (
          <figure key={part} className="w-72">
            <figcaption className="text-note text-soft">
              {part === "truth" ? "Truth, a crop" : "Input, at the truth's size"}
            </figcaption>
            <div className="flex aspect-4/3 w-full items-center justify-center bg-well">
              {!shown.data && !shown.error && <span className="text-small text-ink">being made…</span>}
              {shown.data && (
                <img
                  src={picture(shown.data[part])}
                  alt={part === "truth" ? "The truth on a crop" : "The input on the same crop"}
                  className={`h-full w-full object-contain [image-rendering:pixelated] ${shown.isFetching ? "opacity-60" : ""}`}
                />
              )}
            </div>
          </figure>
        ))}
        {source.picture_id && (
          <figure className="w-28">
            <figcaption className="text-note text-soft">Move the crop</figcaption>
            <button
              type="button"
              className="relative block w-full"
              onClick={move}
              onKeyDown={step}
              aria-label="Move the crop"
              title="Press on a place, or use the arrow keys"
            >
              <img src={thumbnail(source.picture_id, frame)} alt="" className="w-full" />
              <span
                data-testid="crop-place"
                className="absolute size-3 -translate-1/2 border-2 border-sheet outline outline-ink"
                style={{ left: `${place.across * 100}%`, top: `${place.down * 100}%` }}
              />
            </button>
          </figure>
        )}
      </div>
      <p className="sr-only" role="status">
        {shown.isFetching ? "Making the input of this crop…" : "\u00a0"}
      </p>
    </section>
  );
}
