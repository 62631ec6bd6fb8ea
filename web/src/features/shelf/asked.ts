import type { SourceAsked } from "../../api/client";

/** What the Shelf can be asked, as the address has it: a word for each range of figures. */
export const SIZES: Record<string, [string, Partial<SourceAsked>]> = {
  small: ["under 2 megapixels", { most_mp: 2 }],
  medium: ["2 to 9 megapixels", { least_mp: 2, most_mp: 9 }],
  large: ["9 megapixels and more", { least_mp: 9 }],
};
export const NOISES: Record<string, [string, Partial<SourceAsked>]> = {
  clean: ["under 2 cv of noise", { most_noise: 2 }],
  some: ["2 to 6 cv of noise", { least_noise: 2, most_noise: 6 }],
  strong: ["6 cv of noise and more", { least_noise: 6 }],
};
export const TRIED: Record<string, [string, Partial<SourceAsked>]> = {
  new: ["not tried yet", { tried: "new" }],
  tried: ["tried, no verdict yet", { tried: "tried" }],
  decided: ["with a verdict", { tried: "decided" }],
};

/** What an address asks of the Shelf; what it names wrongly asks nothing. */
export function readAsked(params: URLSearchParams): SourceAsked {
  const [words, kind] = [params.get("words")?.trim(), params.get("kind")];
  return {
    ...(words && { words: words.slice(0, 200) }),
    ...(kind && { kind }),
    ...SIZES[params.get("size") ?? ""]?.[1],
    ...NOISES[params.get("noise") ?? ""]?.[1],
    ...TRIED[params.get("tried") ?? ""]?.[1],
  };
}
