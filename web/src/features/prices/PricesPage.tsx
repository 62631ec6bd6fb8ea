import { useState } from "react";
import type { Price, PriceBook } from "../../api/client";
import { usePrices, useSavePrices, type PriceBookShown } from "../../api/prices";
import { useMethods } from "../../api/queries";
import { NumberField } from "../../ui/NumberField";
import { Button, FIELD, Page, Trouble } from "../../ui/parts";
import { useDraft } from "../../ui/useDraft";

type Of = "methods" | "tools";
const FREE: Price = {
  licence: 0,
  licence_years: 3,
  month: 0,
  fee: 0,
  credits: 0,
  credit: 0,
  unit: "frame",
};
const UNITS: [Price["unit"], string][] = [
  ["frame", "a frame"],
  ["megapixel", "a megapixel"],
  ["minute", "a minute of footage"],
];
const AMOUNTS: [keyof Omit<Price, "unit">, string][] = [
  ["fee", "Fee a unit"],
  ["credits", "Credits a unit"],
  ["credit", "Price of a credit"],
  ["month", "Subscription a month"],
  ["licence", "Licence, once"],
  ["licence_years", "shared over years"],
];

interface RowProps {
  name: string;
  price: Price;
  change: (part: Partial<Price>) => void;
  remove: () => void;
}

function Row({ name, price, change, remove }: RowProps) {
  return (
    <li className="border-b border-line bg-sheet px-4 py-3" aria-label={name}>
      <div className="mb-1 flex items-baseline justify-between">
        <h3 className="font-semibold">{name}</h3>
        <Button tone="quiet" onClick={remove} aria-label={`Remove the price of ${name}`}>
          Remove
        </Button>
      </div>
      <div className="flex flex-wrap items-end gap-4">
        <label className="flex flex-col">
          <span className="text-note text-soft">Unit</span>
          <select
            value={price.unit}
            onChange={(event) => change({ unit: event.target.value as Price["unit"] })}
            className={FIELD}
          >
            {UNITS.map(([unit, words]) => (
              <option key={unit} value={unit}>
                {words}
              </option>
            ))}
          </select>
        </label>
        {AMOUNTS.map(([key, words]) => (
          <NumberField
            stacked
            key={key}
            name={words}
            value={price[key]}
            onChange={(value) => change({ [key]: value })}
          />
        ))}
      </div>
    </li>
  );
}

type Whole = Required<PriceBook>;

function Book({ shown }: { shown: PriceBookShown }) {
  const methods = useMethods().data ?? [];
  const save = useSavePrices();
  // What was changed and not saved, with the version that it was changed from; none follows what is saved.
  const [own, setOwn] = useDraft<{ version: number; book: Whole } | null>("prices", null);
  const draft: Whole = own?.book ?? { methods: {}, tools: {}, ...shown.book };
  const changed = own !== null;
  const setDraft = (book: Whole) => setOwn({ version: own?.version ?? shown.version, book });
  const [tool, setTool] = useState("");
  const put = (of: Of, key: string, price: Price | null) => {
    const others = Object.entries(draft[of]).filter(([other]) => other !== key || price);
    setDraft({ ...draft, [of]: Object.fromEntries(price ? [...others, [key, price]] : others) });
  };
  const rows = (["methods", "tools"] as const).flatMap((of) =>
    Object.entries(draft[of]).map(([key, price]) => ({ of, key, price })),
  );
  const nameOf = (of: Of, key: string) =>
    of === "tools" ? key : (methods.find(({ id }) => id === key)?.name ?? key);
  return (
    <>
      <Trouble error={save.error} />
      {own && own.version !== shown.version && (
        <p role="status" className="mb-4 border-l-4 border-accent bg-wash px-3 py-2">
          The price book was changed elsewhere meanwhile. What you changed is still here, but cannot be saved
          over that; load it and repeat your change.{" "}
          <Button tone="quiet" onClick={() => setOwn(null)}>
            Load it
          </Button>
        </p>
      )}
      <div className="mb-5 flex flex-wrap items-end gap-6">
        <label className="flex flex-col">
          <span className="text-note text-soft">Currency</span>
          <input
            value={draft.currency}
            maxLength={12}
            onChange={(event) => setDraft({ ...draft, currency: event.target.value })}
            className={`${FIELD} w-24`}
          />
        </label>
        <NumberField
          stacked
          name="An hour of the machine"
          value={draft.machine_hour}
          onChange={(machine_hour) => setDraft({ ...draft, machine_hour })}
        />
      </div>
      <h2 className="mb-2 text-xl font-semibold">Methods and tools that are paid for</h2>
      {rows.length === 0 && <p className="mb-3 text-soft">None so far; what is not listed costs nothing.</p>}
      <ul className="border-t border-line">
        {rows.map(({ of, key, price }) => (
          <Row
            key={`${of} ${key}`}
            name={nameOf(of, key)}
            price={price}
            change={(part) => put(of, key, { ...price, ...part })}
            remove={() => put(of, key, null)}
          />
        ))}
      </ul>
      <div className="mt-4 flex flex-wrap items-center gap-4">
        <select
          aria-label="Add a method"
          value=""
          onChange={(event) => put("methods", event.target.value, FREE)}
          className={FIELD}
        >
          <option value="">Add a method</option>
          {methods
            .filter(({ id }) => !(id in draft.methods))
            .map(({ id, name }) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
        </select>
        <form
          className="flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (tool.trim()) put("tools", tool.trim(), draft.tools[tool.trim()] ?? FREE);
            setTool("");
          }}
        >
          <input
            aria-label="Name of a tool that results are made with elsewhere"
            placeholder="or a tool used elsewhere"
            value={tool}
            maxLength={80}
            onChange={(event) => setTool(event.target.value)}
            className={`${FIELD} w-60`}
          />
          <Button type="submit">Add</Button>
        </form>
      </div>
      <div className="mt-6 flex gap-3">
        <Button
          tone="main"
          disabled={!changed || draft.currency.trim() === "" || save.isPending}
          onClick={() => own && save.mutate(own, { onSuccess: () => setOwn(null) })}
        >
          Save the price book
        </Button>
        {changed && <Button onClick={() => setOwn(null)}>As it was</Button>}
      </div>
    </>
  );
}

/** What an hour of the machine, methods and tools cost; Scores and verdicts reckon with it. */
export function PricesPage() {
  const { data, error } = usePrices();
  return (
    <Page title="Price book">
      <p className="mb-4 max-w-prose text-soft">
        What things cost. Scores tell by it what a picture, a minute of footage, the whole job and a year come
        to.
      </p>
      <Trouble error={error} />
      {data && <Book shown={data} />}
    </Page>
  );
}
