import createClient from "openapi-fetch";
import { create } from "zustand";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Source = Schemas["Source"];
export type SourceAsked = NonNullable<paths["/api/sources"]["get"]["parameters"]["query"]>;
export type Kind = Schemas["Kind"];
export type ReadAs = Schemas["ReadAs"];
export type Trial = Schemas["Trial"];
export type TrialItem = Schemas["TrialItem"];
export type Entry = Schemas["Entry"];
export type Stated = Schemas["Stated"];
export type Machine = Schemas["Machine"];
export type Score = Schemas["Score"];
export type Measure = Schemas["MeasureShown"];
export type TrialRequest = Schemas["TrialRequest"];
export type Setup = Schemas["Trial"]["setup"];
export type TruthSetup = Schemas["TruthSetup"];
export type NoTruthSetup = Schemas["NoTruthSetup"];
export type NativeSetup = Schemas["NativeSetup"];
export type Moved = Schemas["Moved"];
export type BreakEven = Schemas["BreakEven"];
export type Cost = Schemas["Cost"];
export type PriceBook = Schemas["PriceBook"];
export type Price = Schemas["Price"];
export type Plan = Schemas["PlanAnswer"];
export type RecipeItem = Schemas["RecipeItem"];
export type Recipe = Schemas["Recipe"];
export type Pass = Schemas["Pass"];
export type Method = Schemas["MethodShown"];
export type Picture = Schemas["Picture"];
export type Queue = Schemas["Queue"];
export type Worker = Schemas["Worker"];
export type PlaybookKind = Schemas["PlaybookKind"];
export type VerdictRequest = Schemas["VerdictRequest"];
export type Model = Schemas["Model"];
export type Place = Schemas["Place"];
export type Spot = Schemas["Spot"];
export type SpotRequest = Schemas["SpotRequest"];
export type SuggestedSpot = Schemas["SuggestedSpot"];
export type Remark = Schemas["Remark"];
export type RemarkRequest = Schemas["RemarkRequest"];
export type Standing = NonNullable<Entry["standing"]>;
export type FaultMap = Schemas["FaultMapShown"];
export type PixelRead = Schemas["PixelRead"];
export type MapAnswer = Schemas["MapAnswer"];

export const client = createClient<paths>({ baseUrl: "/" });

let oldest = Infinity;
client.use({
  onResponse: ({ response }) => {
    oldest = Math.min(oldest, Number(response.headers.get("Mistline-Heard") ?? NaN));
  },
});

/** How many changes the server had announced when the first of all answers was asked for; NaN if one did not say. */
export const oldestAnswer = () => oldest;

/** Whether the server asks for its key: this is another machine, and nobody has given it here. */
export const useLocked = create<{ locked: boolean }>(() => ({ locked: false }));

/** The server cannot be reached, or its database cannot: nothing is wrong with what was asked. */
export class Unreachable extends Error {}

const AWAY = [502, 503, 504];

/** An answer of the API, or an error whose message is the sentence for people. */
export async function answer<T>(
  call: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  const { data, error, response } = await call.catch(() => {
    throw new Unreachable("Mistline does not answer. Is it still running?");
  });
  if (response.status === 401) useLocked.setState({ locked: true });
  if (AWAY.includes(response.status)) throw new Unreachable(sentence(error));
  if (!response.ok) throw new Error(sentence(error));
  return data as T;
}

/** The sentence of a problem document. */
export function sentence(problem: unknown): string {
  const detail = (problem as { detail?: unknown } | undefined)?.detail;
  return typeof detail === "string" ? detail : "The request failed; try again.";
}

export const thumbnail = (picture: string, frame = 0) => `/api/pictures/${picture}/frames/${frame}/thumbnail`;
