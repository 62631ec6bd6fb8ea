import type { NativeSetup, NoTruthSetup, Setup, TruthSetup } from "../../api/client";

export const UNDAMAGED: TruthSetup = {
  test: "truth",
  audience: null,
  target: null,
  weave: 0,
  flicker: 0,
  blur: 0,
  factor: 4,
  kernel: "area",
  light: "linear",
  noise: 0,
  underexposed: 0,
  eight_bit: false,
  half_chroma: false,
  jpeg: null,
  fields: "progressive",
  hold: false,
  h264: null,
  mpeg2: null,
  seed: 1,
};

export const NO_TRUTH: NoTruthSetup = { test: "no truth", audience: null, factor: 2, target: null };

/** Which larger version is meant; how it lies is found out anew. */
export const NATIVE: NativeSetup = {
  test: "native",
  audience: null,
  factor: 1,
  native: "",
  width: 0,
  height: 0,
  frames: 1,
  hash: "",
  alignment: null,
  gains: [],
  match_colours: false,
  native_seconds: null,
  source_seconds: null,
  transfer_seconds: null,
};
const TIMES = ["native_seconds", "source_seconds", "transfer_seconds"] as const;

const OF_CLIPS = ["weave", "flicker", "fields", "hold", "h264", "mpeg2"] as const;

/** Whether there is damage that only a clip can have. */
export const isForClips = (setup: TruthSetup): boolean =>
  OF_CLIPS.some((field) => setup[field] !== UNDAMAGED[field]);

type Field = Exclude<keyof TruthSetup, "audience" | "target">;
const FIELDS = (Object.keys(UNDAMAGED) as (keyof TruthSetup)[]).filter(
  (field) => field !== "audience" && field !== "target",
);

/** What differs from a plain set-up, as values of an address. */
export function toAddress(setup: Setup): Record<string, string> {
  const { audience } = setup;
  return { ...ofTest(setup), ...(audience && { audience: `${audience.width},${audience.distance}` }) };
}

function ofTest(setup: Setup): Record<string, string> {
  if (setup.test === "no truth")
    return {
      test: setup.test,
      factor: String(setup.factor),
      ...(setup.target && { target: JSON.stringify(setup.target) }),
    };
  if (setup.test === "native")
    return {
      test: setup.test,
      native: setup.native,
      ...(setup.match_colours && { match_colours: "true" }),
      ...Object.fromEntries(
        TIMES.flatMap((time) => (setup[time] == null ? [] : [[time, String(setup[time])]])),
      ),
    };
  const changed = FIELDS.filter((field) => setup[field] !== UNDAMAGED[field]);
  return {
    ...Object.fromEntries(changed.map((field) => [field, String(setup[field])])),
    ...(setup.target && { target: JSON.stringify(setup.target) }),
  };
}

function parsed(field: Field, text: string): TruthSetup[Field] | undefined {
  const plain = UNDAMAGED[field];
  if (typeof plain === "boolean") return text === "true";
  if (typeof plain === "number" || plain === null) {
    const number = Number(text);
    return Number.isFinite(number) && text !== "" ? number : undefined;
  }
  if (field === "kernel") return (["area", "bicubic", "lanczos3"] as const).find((kernel) => kernel === text);
  if (field === "fields")
    return (["progressive", "upper first", "lower first"] as const).find((fields) => fields === text);
  if (field === "light") return (["linear", "encoded"] as const).find((light) => light === text);
  return undefined;
}

/** A target that an address tells; what the server does not take it refuses in words. */
function targetIn(text: string | null): NoTruthSetup["target"] {
  try {
    const found = JSON.parse(text ?? "null") as NoTruthSetup["target"];
    return found?.kind === "frame" || found?.kind === "print" ? found : null;
  } catch {
    return null;
  }
}

function audienceIn(text: string | null): Setup["audience"] {
  const [width = 0, distance = 0] = (text ?? "").split(",").map(Number);
  return width > 0 && distance > 0 ? { width, distance } : null;
}

/** The set-up that an address tells; what cannot be read stays plain. */
export function fromAddress(params: URLSearchParams): Setup {
  return { ...testIn(params), audience: audienceIn(params.get("audience")) };
}

function testIn(params: URLSearchParams): Setup {
  if (params.get("test") === "no truth")
    return {
      ...NO_TRUTH,
      factor: Number(params.get("factor") ?? NO_TRUTH.factor) || NO_TRUTH.factor,
      target: targetIn(params.get("target")),
    };
  if (params.get("test") === "native")
    return {
      ...NATIVE,
      native: params.get("native") ?? "",
      match_colours: params.get("match_colours") === "true",
      ...Object.fromEntries(
        TIMES.map((time) => [time, params.has(time) ? Number(params.get(time)) || 0 : null]),
      ),
    };
  const told = FIELDS.flatMap((field) => {
    const text = params.get(field);
    const value = text === null ? undefined : parsed(field, text);
    return value === undefined ? [] : [[field, value] as const];
  });
  const target = targetIn(params.get("target"));
  return { ...UNDAMAGED, ...Object.fromEntries(told), target: target?.kind === "frame" ? target : null };
}
