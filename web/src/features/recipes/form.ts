import type { Method } from "../../api/client";

/** One setting as its form field needs it, read from the JSON Schema of the method's settings. */
export interface Field {
  key: string;
  name: string;
  help: string;
  automatic: boolean;
  whole: boolean;
  options: (string | number)[] | null;
  low: number | undefined;
  high: number | undefined;
}

interface Schema {
  description?: string;
  type?: string;
  enum?: (string | number)[];
  minimum?: number;
  exclusiveMinimum?: number;
  maximum?: number;
  anyOf?: Schema[];
}

export function fieldsOf(method: Method): Field[] {
  const properties = (method.form.properties ?? {}) as Record<string, Schema>;
  return Object.entries(properties).map(([key, schema]) => {
    const plain = schema.anyOf?.find((option) => option.type !== "null") ?? schema;
    return {
      key,
      name: key.replaceAll("_", " "),
      help: schema.description ?? "",
      automatic: schema.anyOf?.some((option) => option.type === "null") ?? false,
      whole: plain.type === "integer",
      options: plain.enum ?? null,
      low: plain.minimum ?? plain.exclusiveMinimum,
      high: plain.maximum,
    };
  });
}

export const rangeOf = ({ low, high }: Field) =>
  low !== undefined && high !== undefined ? `${low} to ${high}` : "";

const ORDER = ["enlarge", "learned", "reduce noise", "repair", "sharpen", "compose"];

/** Methods by family, in the order in which they stand in a chain of work. */
export function byFamily(methods: Method[]): [string, Method[]][] {
  const families = [...new Set([...ORDER, ...methods.map(({ family }) => family)])];
  return families.map((family) => [family, methods.filter((method) => method.family === family)]);
}
