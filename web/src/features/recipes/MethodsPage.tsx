import { useSearchParams } from "react-router";
import type { Method } from "../../api/client";
import { keyOf, useFingerprints, useMeasureMethods, type Fingerprint } from "../../api/fingerprints";
import { problem } from "../../api/live";
import { useMethods } from "../../api/queries";
import { Button, ButtonLink, Empty, FIELD, Page, Trouble } from "../../ui/parts";
import { Beside } from "./Beside";
import { byFamily } from "./form";
import { MethodRow } from "./MethodRow";
import { Models } from "./Models";

const WORKING = ["waiting", "measuring"];
const SECONDS_EACH = 5; // measured on two cores: from one for a kernel to fifteen for the slowest filter

const holds = (method: Method, words: string) => {
  const text = `${method.name} ${method.family} ${method.summary} ${method.reference}`.toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
};

/** Which two versions stand beside one another, and what is searched: in the address. */
function useAsked(measured: Fingerprint[]) {
  const [params, setParams] = useSearchParams();
  const put = (name: string, value: string) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  const chosen = (params.get("beside") ?? "").split(",").filter(Boolean);
  const found = chosen.flatMap((key) => measured.find((one) => keyOf(one) === key && one.found) ?? []);
  return {
    search: params.get("search") ?? "",
    setSearch: (words: string) => put("search", words),
    found,
    isChosen: (one: Fingerprint) => found.includes(one),
    toggle: (one: Fingerprint) => {
      const others = found.filter((other) => other !== one);
      const next = found.includes(one) ? others : [...others, one].slice(-2);
      put("beside", next.map(keyOf).join(","));
    },
    clear: () => put("beside", ""),
  };
}

function MeasureAll({ missing, waiting }: { missing: number; waiting: number }) {
  const measure = useMeasureMethods();
  if (waiting > 0) return <p className="text-soft">Measuring: {waiting} left.</p>;
  if (missing === 0) return null;
  return (
    <>
      <Trouble error={measure.error} />
      <Button onClick={() => measure.mutate(undefined)}>
        Measure {missing} that have not been, about {Math.ceil((missing * SECONDS_EACH) / 60)} min
      </Button>
    </>
  );
}

/** The catalogue: what each method is and does, where it comes from, what it can be told and what it can take. */
export function MethodsPage() {
  const methods = useMethods();
  const { data: measured = [] } = useFingerprints();
  const asked = useAsked(measured);
  const all = methods.data ?? [];
  const shown = all.filter((method) => holds(method, asked.search));
  const newest = (method: Method) =>
    measured.find((one) => one.method === method.id && one.version === method.version);
  const missing = all.filter((method) => !newest(method) || newest(method)?.state === "failed").length;
  const waiting = measured.filter(({ state }) => WORKING.includes(state)).length;
  const nameOf = (one: Fingerprint) => {
    const method = all.find(({ id }) => id === one.method);
    const twice = measured.filter((other) => other.method === one.method).length > 1;
    return `${method?.name ?? one.method}${twice ? `, version ${one.version}` : ""}`;
  };
  const [first, second] = asked.found;
  return (
    <Page
      title="Methods"
      actions={
        <>
          <MeasureAll missing={missing} waiting={waiting} />
          <ButtonLink to="/prices">Price book</ButtonLink>
        </>
      }
    >
      <Models />
      <Trouble error={problem(methods)} />
      <div className="mb-4 flex flex-wrap items-center gap-4">
        <input
          type="search"
          aria-label="Search methods"
          placeholder="Search by name, family, use or author"
          value={asked.search}
          onChange={(event) => asked.setSearch(event.target.value)}
          className={`${FIELD} w-80`}
        />
        <p className="text-small text-soft" aria-live="polite">
          {shown.length} of {all.length}.{" "}
          {first && !second ? `${nameOf(first)} beside which other? Choose one below.` : ""}
        </p>
      </div>
      {first && second && <Beside first={first} second={second} nameOf={nameOf} close={asked.clear} />}
      {all.length > 0 && shown.length === 0 && (
        <Empty title="No method says that">
          <Button onClick={() => asked.setSearch("")}>Show all</Button>
        </Empty>
      )}
      {byFamily(shown).map(
        ([family, members]) =>
          members.length > 0 && (
            <section key={family} className="mb-6">
              <h2 className="mb-2 text-xl font-semibold first-letter:uppercase">{family}</h2>
              <ul className="border-t border-line">
                {members.map((method) => (
                  <MethodRow
                    key={method.id}
                    method={method}
                    versions={measured.filter((one) => one.method === method.id)}
                    nameOf={nameOf}
                    isChosen={asked.isChosen}
                    toggle={asked.toggle}
                  />
                ))}
              </ul>
            </section>
          ),
      )}
    </Page>
  );
}
