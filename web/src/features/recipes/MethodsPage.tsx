import type { Method } from "../../api/client";
import { useMethods } from "../../api/queries";
import { Page, Trouble } from "../../ui/parts";
import { byFamily, fieldsOf, rangeOf } from "./form";
import { ModelFacts, Models } from "./Models";

function Settings({ method }: { method: Method }) {
  const fields = fieldsOf(method);
  if (fields.length === 0) return <p className="text-[14px] text-soft">No settings.</p>;
  return (
    <ul className="space-y-0.5 text-[14px]">
      {fields.map((field) => (
        <li key={field.key}>
          <span className="font-medium">{field.name}</span>{" "}
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

function Row({ method }: { method: Method }) {
  return (
    <li className="grid gap-x-8 gap-y-1 border-b border-line bg-sheet px-4 py-3 lg:grid-cols-[21rem_1fr]">
      <div>
        <h3 className="font-semibold">{method.name}</h3>
        <p>{method.summary}</p>
        <p className="text-[13px] text-soft">
          {method.reference}. Version {method.version}, {method.limits}.
        </p>
      </div>
      <div>
        <Settings method={method} />
        {method.card && <ModelFacts card={method.card} />}
      </div>
    </li>
  );
}

/** The catalogue: what each method is, where it comes from, what it can be told and what it can take. */
export function MethodsPage() {
  const { data = [], error } = useMethods();
  return (
    <Page title="Methods">
      <Models />
      <Trouble error={error} />
      {byFamily(data).map(([family, methods]) => (
        <section key={family} className="mb-6">
          <h2 className="mb-2 text-xl font-semibold first-letter:uppercase">{family}</h2>
          <ul className="border-t border-line">
            {methods.map((method) => (
              <Row key={method.id} method={method} />
            ))}
          </ul>
        </section>
      ))}
    </Page>
  );
}
