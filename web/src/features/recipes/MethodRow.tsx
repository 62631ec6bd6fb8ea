import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import type { Method } from "../../api/client";
import { useMeasureMethods, type Fingerprint } from "../../api/fingerprints";
import { Button, ButtonLink, Trouble } from "../../ui/parts";
import { Glance, measuredHow, Plates, Plots } from "./Fingerprint";
import { fieldsOf, rangeOf } from "./form";
import { ModelFacts } from "./Models";

function Settings({ method }: { method: Method }) {
  const fields = fieldsOf(method);
  if (fields.length === 0) return <p className="text-small text-soft">No settings.</p>;
  return (
    <ul className="max-w-prose space-y-0.5 text-small">
      {fields.map((field) => (
        <li key={field.key}>
          <span className="font-medium first-letter:uppercase">{field.name}</span>{" "}
          <span className="text-soft">
            {field.automatic ? "automatic" : String(method.defaults[field.key])}
            {rangeOf(field) && ` (${rangeOf(field)})`}
            {field.options && ` (${field.options.join(", ").replaceAll("_", " ")})`}. {field.help}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** What is known of a version, or why it is not. */
function State({ method, one }: { method: Method; one: Fingerprint | undefined }) {
  const measure = useMeasureMethods();
  if (one?.found) return <Glance found={one.found} />;
  if (one && one.state !== "failed")
    return (
      <p className="text-soft">{one.state === "measuring" ? "Being measured" : "Waits to be measured"}</p>
    );
  return (
    <div className="flex flex-wrap items-center gap-3 text-soft">
      <span>{one?.error ?? "Not measured yet."}</span>
      <Button onClick={() => measure.mutate([method.id])}>Measure</Button>
      <Trouble error={measure.error} />
    </div>
  );
}

interface Props {
  method: Method;
  versions: Fingerprint[];
  nameOf: (one: Fingerprint) => string;
  isChosen: (one: Fingerprint) => boolean;
  toggle: (one: Fingerprint) => void;
}

/** A method: what it does at a glance, and all that is known of it below. */
export function MethodRow({ method, versions, nameOf, isChosen, toggle }: Props) {
  const now = versions.find(({ version }) => version === method.version);
  const compare = (one: Fingerprint, name: string) => (
    <Button
      key={one.version}
      aria-pressed={isChosen(one)}
      onClick={() => toggle(one)}
      className="aria-pressed:border-accent aria-pressed:bg-wash"
    >
      {name}
    </Button>
  );
  return (
    <li className="border-b border-line bg-sheet px-4 py-2.5" data-testid={`method-${method.id}`}>
      <Disclosure>
        <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
          <div className="w-72 min-w-0 grow">
            <h3 className="font-semibold">{method.name}</h3>
            <p className="text-small text-soft">{method.summary}</p>
          </div>
          <State method={method} one={now} />
          <div className="flex gap-2">
            {now?.found && compare(now, "Compare")}
            <DisclosureButton
              className="rounded-sm border border-line bg-sheet px-3 py-1.5 font-medium hover:border-ink data-open:bg-well"
              aria-label={`All of it, ${method.name}`}
            >
              All of it
            </DisclosureButton>
          </div>
        </div>
        <DisclosurePanel className="mt-3 border-t border-line pt-3">
          <div className="flex flex-wrap items-start justify-between gap-6">
            <div className="min-w-0 flex-1">
              <Settings method={method} />
              <p className="mt-2 text-small text-soft">
                {method.reference}. Version {method.version}, {method.limits}.
              </p>
              {method.card && <ModelFacts card={method.card} />}
            </div>
            <div className="flex flex-wrap gap-2">
              {versions
                .filter((one) => one !== now && one.found)
                .map((one) => compare(one, `Compare version ${one.version}`))}
              <ButtonLink to={`/recipes?from=${method.id}`}>Begin a recipe with it</ButtonLink>
            </div>
          </div>
          {now?.found && (
            <div className="mt-4">
              <p className="mb-3 text-small text-soft">{measuredHow(now.found)}.</p>
              <Plots named={[{ name: nameOf(now), found: now.found }]} />
              <Plates named={[{ name: nameOf(now), one: now }]} />
            </div>
          )}
        </DisclosurePanel>
      </Disclosure>
    </li>
  );
}
