import { FIELD } from "../../ui/parts";

const FACTORS = [1, 2, 3, 4, 5];

interface PickProps<T> {
  name: string;
  options: [T, string][];
  value: T;
  onChange: (value: T) => void;
}

/** One of a few, as radio buttons. */
export function Pick<T extends string | number>({ name, options, value, onChange }: PickProps<T>) {
  return (
    <fieldset>
      <legend className="mb-1 text-note text-soft">{name}</legend>
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        {options.map(([option, words]) => (
          <label key={option} className="flex items-center gap-1.5">
            <input
              type="radio"
              name={name}
              className="accent-accent"
              checked={value === option}
              onChange={() => onChange(option)}
            />
            {words}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

interface FactorProps {
  name: string;
  value: number;
  onChange: (value: number) => void;
}

/** One of the usual factors, or another. */
export function FactorPick({ name, value, onChange }: FactorProps) {
  return (
    <div className="flex flex-wrap items-end gap-4">
      <Pick
        name={`Factor: ${name}`}
        options={FACTORS.map((factor) => [factor, factor === 1 ? "same size" : `${factor}x`])}
        value={value}
        onChange={onChange}
      />
      <label className="flex items-center gap-2">
        or
        <input
          type="number"
          aria-label="Other factor"
          min={1}
          max={16}
          step={0.1}
          value={value}
          onChange={(event) => event.target.value && onChange(Number(event.target.value))}
          className={`${FIELD} w-20`}
        />
      </label>
    </div>
  );
}
