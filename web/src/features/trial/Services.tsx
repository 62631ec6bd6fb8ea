import { useState } from "react";
import type { Trial } from "../../api/client";
import { useErrandAction, useErrands, type Errand, type Offer } from "../../api/errands";
import { money, seconds } from "../../ui/format";
import { Bar, Button, FIELD, Trouble } from "../../ui/parts";

const STATE: Record<Errand["state"], string> = {
  waiting: "waits to be sent",
  uploading: "is being sent",
  queued: "waits in the service's queue",
  processing: "is being processed there",
  downloading: "is being fetched",
  done: "is back",
  failed: "came to nothing",
  cancelled: "was given up",
};
const OVER = ["done", "failed", "cancelled"];
const TIMES = [
  ["uploading", "sent in"],
  ["queued", "waited"],
  ["processing", "processed in"],
  ["downloading", "fetched in"],
] as const;

const took = ({ times }: Errand) =>
  TIMES.flatMap(([key, words]) => {
    const value = times?.[key];
    return value == null ? [] : [`${words} ${seconds(value)}`];
  }).join(", ");

function Row({ errand, cancel, again }: { errand: Errand; cancel: () => void; again: () => void }) {
  const { name, state, progress, fee, forecast, currency, letter, error } = errand;
  return (
    <li
      className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line py-1.5"
      data-testid="errand"
    >
      <span>
        <span className="font-medium">{name}</span>: the result {STATE[state]}
        {letter && ` as entry ${letter}`}
      </span>
      {state === "processing" && (
        <span className="w-32">
          <Bar share={progress} label={`${name}, processing`} />
        </span>
      )}
      <span className="text-small text-soft">
        {[fee === null ? `about ${money(forecast)} ${currency}` : `${money(fee)} ${currency}`, took(errand)]
          .filter(Boolean)
          .join("; ")}
      </span>
      {!OVER.includes(state) && (
        <Button tone="quiet" onClick={cancel} title="What the service has begun it may charge all the same.">
          Give it up
        </Button>
      )}
      {state === "failed" && (
        <>
          <span role="alert" className="basis-full border-l-4 border-accent bg-wash px-3 py-1">
            {error}
          </span>
          <Button tone="quiet" onClick={again}>
            Try again
          </Button>
        </>
      )}
    </li>
  );
}

function Budget({
  budget,
  spent,
  keep,
}: {
  budget: number | null;
  spent: number;
  keep: (value: number | null) => void;
}) {
  const [text, setText] = useState(budget?.toString() ?? "");
  const done = () => {
    const value = text.trim() === "" ? null : Number(text);
    if (value !== budget && (value === null || value >= 0)) keep(value);
  };
  return (
    <label className="flex items-center gap-2 text-small">
      Budget of this trial
      <input
        type="number"
        min={0}
        step="any"
        value={text}
        placeholder="no limit"
        onChange={(event) => setText(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => event.key === "Enter" && done()}
        className={`${FIELD} w-28`}
      />
      <span className="text-soft">{money(spent)} spent or on the way</span>
    </label>
  );
}

const promise = ({ fee, currency, takes }: Offer) => {
  const price = `${money(fee)} ${currency}`;
  if (!takes) return `${price}, nobody knows yet how long`;
  const { transfer, wait, process } = takes;
  return `${price}, about ${seconds(transfer + wait + process)}: ${seconds(transfer)} to send and fetch, ${seconds(wait)} in its queue, ${seconds(process)} to process`;
};

/** Remote services: what each would ask for this trial's input, and what has been sent. */
export function Services({ trial }: { trial: Trial }) {
  const { data } = useErrands(trial.id);
  const act = useErrandAction(trial.id);
  if (!data || data.offers.length + data.errands.length === 0) return null;
  const sent = new Set(
    data.errands.filter(({ state }) => state !== "failed" && state !== "cancelled").map(({ name }) => name),
  );
  return (
    <section className="mt-6 border border-line bg-sheet p-4" data-testid="services">
      <div className="flex flex-wrap items-baseline justify-between gap-4">
        <h2 className="font-display text-lg font-semibold">Remote services</h2>
        <Budget
          key={data.budget}
          budget={data.budget}
          spent={data.spent}
          keep={(budget) => act.mutate({ budget })}
        />
      </div>
      <p className="mb-2 max-w-prose text-soft">
        They get the exact input of this trial and ask a fee. What comes back becomes an entry; its times are
        measured here, but on their machine, and are not ranked with this one&apos;s.
      </p>
      <ul className="border-t border-line">
        {data.errands.map((errand) => {
          const offer = data.offers.find(({ name }) => name === errand.name);
          return (
            <Row
              key={errand.id}
              errand={errand}
              cancel={() => act.mutate({ cancel: errand.id })}
              again={() => offer && act.mutate({ send: offer.connector })}
            />
          );
        })}
        {data.offers
          .filter(({ name }) => !sent.has(name))
          .map((offer) => (
            <li
              key={offer.connector}
              className="flex flex-wrap items-center gap-4 border-b border-line py-1.5"
            >
              <span className="font-medium">{offer.name}</span>
              {offer.refused ? (
                <span className="text-soft">{offer.refused}</span>
              ) : (
                <>
                  <span className="text-small text-soft">{promise(offer)}</span>
                  <Button disabled={act.isPending} onClick={() => act.mutate({ send: offer.connector })}>
                    Send it for {money(offer.fee)} {offer.currency}
                  </Button>
                </>
              )}
            </li>
          ))}
      </ul>
      <Trouble error={act.error} />
    </section>
  );
}
