import { useState } from "react";
import { FIELD } from "./parts";

interface Props {
  name: string;
  /** What it is called where the name beside it tells too little. */
  label?: string;
  value: number | null;
  unit?: string;
  min?: number;
  max?: number;
  /** The name stands over the field, not before it. */
  stacked?: boolean;
  onChange: (value: number) => void;
  /** Where it may be left empty. */
  onEmpty?: () => void;
}

const textOf = (value: number | null) => value?.toString() ?? "";
const numberIn = (text: string) => (text === "" ? null : Number(text));

/** A number; what is half typed stays as it is, what is out of range is not taken. */
export function NumberField({ name, label, value, unit, min = 0, max, stacked, onChange, onEmpty }: Props) {
  const [text, setText] = useState(textOf(value));
  const [last, setLast] = useState(value);
  if (value !== last) {
    setLast(value);
    if (numberIn(text) !== value) setText(textOf(value)); // it was set elsewhere
  }
  const type = (typed: string) => {
    setText(typed);
    const next = numberIn(typed);
    if (next === null) onEmpty?.();
    else if (next >= min && next <= (max ?? Infinity)) onChange(next);
  };
  return (
    <label className={stacked ? "flex flex-col" : "flex items-center gap-1.5 text-small"}>
      <span className={stacked ? "text-note text-soft" : "text-soft"}>{name}</span>
      <input
        type="number"
        aria-label={label}
        min={min}
        max={max}
        step="any"
        value={text}
        onChange={(event) => type(event.target.value)}
        className={`${FIELD} ${stacked ? "w-28" : "w-24"}`}
      />
      {unit}
    </label>
  );
}
