import { useSearchParams } from "react-router";
import type { Setup } from "../../api/client";
import { useAligned, useSource } from "../../api/queries";
import { usualPart, type Part } from "./PartPick";
import { fromAddress, NATIVE, NO_TRUTH, toAddress, UNDAMAGED } from "./setupAddress";

const PLAIN = { truth: UNDAMAGED, "no truth": NO_TRUTH, native: NATIVE };
const PLACED = ["source", "also", "first", "frames"];

/** What an address says of the sources and their part. */
const placed = (params: URLSearchParams) =>
  Object.fromEntries([...params].filter(([key]) => PLACED.includes(key)));

/** The set-up that the address holds, so that it outlives a reload and can be handed on; and how to change it. */
export function useSetup() {
  const [params, setParams] = useSearchParams();
  const id = params.get("source");
  const source = useSource(id).data;
  const told = fromAddress(params);
  const usual = usualPart(source);
  const part = {
    first: Number(params.get("first") ?? usual.first) || 0,
    frames: Number(params.get("frames") ?? usual.frames) || 1,
  };
  const put = (made: (now: URLSearchParams) => Record<string, string>) =>
    setParams((now) => made(now), { replace: true });
  const laid = useAligned(
    id,
    told.test === "native" ? told.native : "",
    part.first + Math.floor(part.frames / 2),
  );
  const { alignment, gains = [], width = 0, height = 0, hash = "", frames = 1 } = laid.data ?? {};
  const setup: Setup =
    told.test === "native" && alignment ? { ...told, alignment, gains, width, height, hash, frames } : told;
  return {
    id,
    source,
    also: params.get("also")?.split(",").filter(Boolean) ?? [],
    recipe: params.get("recipe"),
    setup,
    part,
    laid,
    /** The source, once all is known that a plan needs: what is refused before that would stay refused. */
    known: source?.state === "ready" && (setup.test !== "native" || setup.alignment) ? source : null,
    choose: (source: string) => put(() => ({ source, ...toAddress(setup) })),
    chooseAlso: (ids: string[]) =>
      put((now) => ({ ...placed(now), ...toAddress(fromAddress(now)), also: ids.join(",") })),
    change: (part: Partial<Setup>) =>
      put((now) => ({ ...placed(now), ...toAddress({ ...fromAddress(now), ...part } as Setup) })),
    turnTo: (test: Setup["test"]) => put((now) => ({ ...placed(now), ...toAddress(PLAIN[test]) })),
    changePart: ({ first, frames }: Part) =>
      put((now) => ({
        ...placed(now),
        ...toAddress(fromAddress(now)),
        first: String(first),
        frames: String(frames),
      })),
  };
}
