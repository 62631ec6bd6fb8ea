import { expect, it } from "vitest";
import type { Method } from "../../api/client";
import { byFamily, fieldsOf, rangeOf } from "./form";

const method = (values: Partial<Method>): Method => ({
  id: "m",
  version: 1,
  name: "M",
  family: "sharpen",
  summary: "",
  reference: "",
  form: {},
  defaults: {},
  limits: "",
  resizes: false,
  card: null,
  ...values,
});

it("reads fields from the schema that the API sends", () => {
  const form = {
    properties: {
      luma: {
        anyOf: [{ type: "number", minimum: 0, maximum: 100 }, { type: "null" }],
        description: "Noise.",
      },
      rounds: { type: "integer", minimum: 1, maximum: 50 },
      lobes: { enum: [2, 3, 4], type: "integer" },
      edge_width: { type: "number", exclusiveMinimum: 0 },
    },
  };
  const [luma, rounds, lobes, edge] = fieldsOf(method({ form }));
  expect(luma).toMatchObject({
    name: "luma",
    automatic: true,
    whole: false,
    low: 0,
    high: 100,
    help: "Noise.",
  });
  expect(rounds).toMatchObject({ automatic: false, whole: true, options: null });
  expect(lobes?.options).toEqual([2, 3, 4]);
  expect(edge?.name).toBe("edge width");
  expect([luma, rounds, lobes, edge].map((field) => field && rangeOf(field))).toEqual([
    "0 to 100",
    "1 to 50",
    "",
    "",
  ]);
});

it("has no fields for a method without settings", () => {
  expect(fieldsOf(method({ form: { type: "object" } }))).toEqual([]);
});

it("keeps the order of a chain of work", () => {
  const methods = [method({ id: "u" }), method({ id: "b", family: "enlarge" }), method({ id: "w" })];
  expect(byFamily(methods).map(([family, members]) => [family, members.map(({ id }) => id)])).toEqual([
    ["enlarge", ["b"]],
    ["learned", []],
    ["reduce noise", []],
    ["repair", []],
    ["sharpen", ["u", "w"]],
    ["compose", []],
  ]);
  expect(byFamily([method({ family: "new" })]).at(-1)?.[0]).toBe("new");
});
