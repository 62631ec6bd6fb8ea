import { expect, it } from "vitest";
import type { Entry, Measure } from "../../api/client";
import type { Choice } from "./useLook";
import { ordered } from "./Wall";

const choice = (id: string, value: number | null, standing: Entry["standing"] = null): Choice => ({
  id,
  plate: id,
  name: id,
  detail: "",
  picture: null,
  waiting: null,
  entry:
    id.length > 1
      ? null
      : ({ letter: id, standing, scores: { m: { value, parts: {}, note: "" } } } as unknown as Entry),
});
const measure = (better: string) => ({ id: "m", better }) as Measure;
const ids = (choices: Choice[]) => choices.map(({ id }) => id).join(" ");
const ALL = [choice("truth", 0), choice("input", 0), choice("A", 3), choice("B", 9), choice("C", -5)];

it("stands truth and input first, then the best by a measure", () => {
  expect(ids(ordered(ALL, measure("higher"), []))).toBe("truth input B A C");
  expect(ids(ordered(ALL, measure("lower"), []))).toBe("truth input A C B");
  expect(ids(ordered(ALL, measure("nearer to zero"), []))).toBe("truth input A C B");
});

it("keeps the order made by hand, and puts what is retired last", () => {
  expect(ids(ordered(ALL, undefined, ["C", "A", "B"]))).toBe("truth input C A B");
  const retired = [...ALL.slice(0, 3), choice("B", 9, "retired"), choice("C", -5)];
  expect(ids(ordered(retired, undefined, ["B", "C", "A"]))).toBe("truth input C A B");
  expect(ids(ordered(retired, measure("higher"), []))).toBe("truth input A C B");
});
