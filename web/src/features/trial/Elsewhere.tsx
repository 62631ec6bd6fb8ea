import { useId, useRef, useState, type DragEvent } from "react";
import type { Entry, Stated, Trial } from "../../api/client";
import { Bar, Button, FIELD, Trouble } from "../../ui/parts";
import { filesOf } from "../../ui/sequences";
import { useDeliver, useDelivered } from "./useDeliver";

const NOTHING: Stated = {
  tool: "",
  version: "",
  settings: "",
  machine: "",
  seconds: null,
  fee: null,
  currency: "",
};

interface TextProps {
  name: string;
  value: string;
  onChange: (value: string) => void;
  className?: string;
  hint?: string;
  number?: boolean;
}

function Text({ name, value, onChange, className = "", hint, number = false }: TextProps) {
  const id = useId();
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-note text-soft">
        {name}
      </label>
      <input
        id={id}
        value={value}
        placeholder={hint}
        {...(number && { type: "number", min: 0, step: "any" })}
        onChange={(event) => onChange(event.target.value)}
        className={`${FIELD} w-full`}
      />
    </div>
  );
}

const numeric = (text: string) => (text.trim() === "" || Number.isNaN(Number(text)) ? null : Number(text));

/** What people say of how a result was made; all of it may stay empty. */
function Said({ value, onChange }: { value: Stated; onChange: (value: Stated) => void }) {
  const [texts, setTexts] = useState({
    seconds: value.seconds?.toString() ?? "",
    fee: value.fee?.toString() ?? "",
  });
  const set = (change: Partial<Stated>) => onChange({ ...value, ...change });
  const number = (key: "seconds" | "fee") => (text: string) => {
    setTexts({ ...texts, [key]: text });
    set({ [key]: numeric(text) });
  };
  return (
    <fieldset className="grid grid-cols-[2fr_1fr_2fr_1fr_1fr_1fr] gap-x-3 gap-y-2">
      <legend className="mb-1 text-small text-soft">
        How it was made, as far as you know. It is shown as stated, not as measured.
      </legend>
      <Text name="Tool or service" value={value.tool} onChange={(tool) => set({ tool })} />
      <Text name="Version" value={value.version} onChange={(version) => set({ version })} />
      <Text name="Machine" value={value.machine} onChange={(machine) => set({ machine })} />
      <Text name="Seconds, for all of it" value={texts.seconds} onChange={number("seconds")} number />
      <Text name="Fee" value={texts.fee} onChange={number("fee")} number />
      <Text name="in" hint="credits" value={value.currency} onChange={(currency) => set({ currency })} />
      <Text
        name="Settings"
        value={value.settings}
        onChange={(settings) => set({ settings })}
        className="col-span-full"
      />
    </fieldset>
  );
}

/** Gives out the exact input of a trial, and takes results of it that were made elsewhere in. */
export function Elsewhere({ trial }: { trial: Trial }) {
  const [files, choose] = useState<File[]>([]);
  const [stated, state] = useState(NOTHING);
  const [resample, setResample] = useState(false);
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const deliver = useDeliver(trial.id);
  const [first] = files;
  const take = (found: Iterable<File>) => choose([...found].sort((a, b) => a.name.localeCompare(b.name)));
  const dropped = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void filesOf(event.dataTransfer).then(take);
  };
  const add = () =>
    deliver.mutate({ files, stated, resample }, { onSuccess: () => (choose([]), setResample(false)) });
  const { target } = trial.plan;
  return (
    <section
      aria-label="Made elsewhere"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={dropped}
      className={`mt-6 rounded-sm border border-dashed px-5 py-3.5 ${over ? "border-accent bg-wash" : "border-line"}`}
    >
      <h2 className="text-lead font-semibold">Made elsewhere</h2>
      <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-2">
        <span className="min-w-80 flex-1 text-soft">
          Run another tool or service on the exact input, then drop its result here, {target.width} ×{" "}
          {target.height}
          {trial.frames > 1 && `, ${trial.frames} frames in one file or numbered`}. It is checked, measured
          and shown like any other entry.
        </span>
        {trial.input_picture && (
          <a
            className="text-accent-deep underline-offset-4 hover:underline"
            href={`/api/trials/${trial.id}/input`}
            download
          >
            Download the input
          </a>
        )}
        <Button onClick={() => input.current?.click()}>Choose the result</Button>
        <input
          ref={input}
          type="file"
          multiple={trial.frames > 1}
          hidden
          data-testid="delivered-files"
          onChange={(event) => {
            take(event.target.files ?? []);
            event.target.value = "";
          }}
        />
      </div>
      {first && (
        <form
          className="mt-3 space-y-3 border-t border-line pt-3"
          onSubmit={(event) => {
            event.preventDefault();
            add();
          }}
        >
          <p className="font-medium">
            {first.name}
            {files.length > 1 && ` and ${files.length - 1} more`}
          </p>
          <Said value={stated} onChange={state} />
          <div className="flex items-center gap-4">
            <Button type="submit" tone="main" disabled={deliver.isPending}>
              Add to the trial
            </Button>
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={resample}
                onChange={(event) => setResample(event.target.checked)}
              />
              Resample it if it has another size
            </label>
            <Button tone="quiet" onClick={() => choose([])}>
              Leave it out
            </Button>
            {deliver.isPending && (
              <span className="w-40">
                <Bar share={deliver.share} label={`Sending ${first.name}`} />
              </span>
            )}
          </div>
        </form>
      )}
      <Trouble error={deliver.error} />
    </section>
  );
}

/** What is said of a result made elsewhere, to be said anew. */
export function SaidAnew({ trial, entry, close }: { trial: Trial; entry: Entry; close: () => void }) {
  const [stated, state] = useState(entry.stated ?? NOTHING);
  const restate = useDelivered(trial.id);
  return (
    <form
      className="col-span-full space-y-3 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        restate.mutate({ letter: entry.letter, stated }, { onSuccess: close });
      }}
    >
      <Said value={stated} onChange={state} />
      <div className="flex gap-4">
        <Button type="submit" tone="main">
          Save
        </Button>
        <Button tone="quiet" onClick={close}>
          Leave it as it was
        </Button>
      </div>
      <Trouble error={restate.error} />
    </form>
  );
}
