import { ArrowDown, ArrowUp, X } from "lucide-react";
import type { Method, Pass } from "../../api/client";
import { Button } from "../../ui/parts";
import { fieldsOf, rangeOf, type Field } from "./form";

interface FieldProps {
  field: Field;
  label: string;
  value: unknown;
  standard: unknown;
  fixed: boolean;
  change: (value: unknown) => void;
}

const INPUT = "rounded-sm border border-line bg-paper px-2 py-1 disabled:opacity-70";

function Entry({ field, label, value, standard, fixed, change }: FieldProps) {
  if (field.options)
    return (
      <select
        aria-label={label}
        disabled={fixed}
        value={String(value ?? (field.automatic ? "" : standard))}
        onChange={(event) => change(field.options?.find((option) => String(option) === event.target.value))}
        className={INPUT}
      >
        {field.automatic && <option value="">automatic</option>}
        {field.options.map((option) => (
          <option key={option} value={option}>
            {String(option).replaceAll("_", " ")}
          </option>
        ))}
      </select>
    );
  return (
    <input
      type="number"
      aria-label={label}
      disabled={fixed}
      min={field.low}
      max={field.high}
      step={field.whole ? 1 : "any"}
      placeholder={field.automatic ? "automatic" : String(standard)}
      value={typeof value === "number" ? value : ""}
      onChange={(event) => change(event.target.value === "" ? undefined : Number(event.target.value))}
      className={`${INPUT} w-28`}
    />
  );
}

function Setting(props: FieldProps) {
  const { field, value, standard, fixed, change } = props;
  const changed = value !== undefined && value !== null && value !== standard;
  return (
    <div className="grid grid-cols-[6rem_8rem_1fr] items-center gap-3">
      <span className={changed ? "font-semibold" : ""}>{field.name}</span>
      <Entry {...props} />
      <span className="text-note text-soft">
        {field.help} {rangeOf(field) && `${rangeOf(field)}.`}
        {changed && !fixed && (
          <button type="button" className="ml-2 text-accent-deep underline" onClick={() => change(undefined)}>
            back to {field.automatic ? "automatic" : String(standard).replaceAll("_", " ")}
          </button>
        )}
      </span>
    </div>
  );
}

interface Props {
  pass: Pass;
  number: number;
  last: boolean;
  method: Method;
  fixed: boolean;
  change: (pass: Pass) => void;
  move: (step: number) => void;
  remove: () => void;
}

/** One pass of a chain: its method, its settings, what differs from the defaults in bold. */
export function PassForm({ pass, number, last, method, fixed, change, move, remove }: Props) {
  const given = pass.settings ?? {};
  const set = (key: string, value: unknown) => {
    const settings = Object.fromEntries(
      Object.entries({ ...given, [key]: value }).filter(([, v]) => v !== undefined),
    );
    change({ ...pass, settings });
  };
  return (
    <li className="border-b border-line bg-sheet px-4 py-3" data-testid={`pass-${number}`}>
      <div className="mb-2 flex items-center gap-2">
        <span className="font-display text-lg font-semibold">
          {number}. {method.name}
        </span>
        <span className="text-small text-soft">{method.summary}</span>
        {!fixed && (
          <span className="ml-auto flex">
            <Button
              tone="quiet"
              aria-label={`Move ${method.name} up`}
              disabled={number === 1}
              onClick={() => move(-1)}
            >
              <ArrowUp size={17} />
            </Button>
            <Button
              tone="quiet"
              aria-label={`Move ${method.name} down`}
              disabled={last}
              onClick={() => move(1)}
            >
              <ArrowDown size={17} />
            </Button>
            <Button tone="quiet" aria-label={`Remove ${method.name}`} onClick={remove}>
              <X size={17} />
            </Button>
          </span>
        )}
      </div>
      <div className="space-y-1.5">
        {fieldsOf(method).map((field) => (
          <Setting
            key={field.key}
            field={field}
            label={`${method.name} ${field.name}`}
            value={given[field.key]}
            standard={method.defaults[field.key]}
            fixed={fixed}
            change={(value) => set(field.key, value)}
          />
        ))}
      </div>
    </li>
  );
}
