import { Link } from "react-router";
import type { Kind, Source } from "../../api/client";
import { Scrubbed } from "../../ui/Filmstrip";
import { lasting, megapixels, pixels, rateOf } from "../../ui/format";
import { edges, HINTS, Sigma, TrialsOf } from "./SourceCard";

const HEAD: [string, string?][] = [
  ["Source"],
  ["Kind"],
  ["Size"],
  ["Noise", HINTS.noise],
  ["Edge width", HINTS.edgeWidth],
  ["Mean level", HINTS.level],
  ["Trials"],
];

/** A row: what a card says, at a glance. */
function Row({ source, kind }: { source: Source; kind: string | undefined }) {
  const { facts, traits } = source;
  return (
    <tr className="border-t border-line align-middle" data-testid="source">
      <th scope="row" className="py-1.5 pr-4 text-left font-normal">
        <span className="flex min-w-0 items-center gap-3">
          <span className="flex h-10 w-14 shrink-0 items-center justify-center overflow-hidden bg-surround">
            <Scrubbed source={source} small />
          </span>
          <span className="min-w-0">
            <span className="block max-w-64 truncate font-semibold" title={source.name}>
              {source.name}
            </span>
            {source.state === "ready" ? (
              <Link
                to={`/trials/new?source=${source.id}`}
                className="text-accent-deep underline-offset-4 hover:underline"
              >
                Set up a trial
              </Link>
            ) : (
              <span className="block max-w-64 truncate text-soft" title={source.error ?? undefined}>
                {source.error ?? "Waiting to be read"}
              </span>
            )}
          </span>
        </span>
      </th>
      <td className="pr-4">{kind ?? "–"}</td>
      <td className="pr-4 whitespace-nowrap tabular-nums">
        {facts && (
          <>
            {pixels(facts)}
            <span className="block text-soft">
              {facts.rate
                ? `${facts.frames} frames, ${lasting(facts.frames, rateOf(facts.rate))}`
                : megapixels(facts)}
            </span>
          </>
        )}
      </td>
      <td className="pr-4 tabular-nums">
        {traits ? <Sigma sigma={traits.noise_sigma} most={traits.noise_most} why={traits.noise_note} /> : "–"}
      </td>
      <td className="pr-4 tabular-nums">{traits ? edges(traits.edge_width) : "–"}</td>
      <td className="pr-4 tabular-nums">{traits ? `${(traits.mean_level * 100).toFixed(0)} %` : "–"}</td>
      <td className="max-w-60 pr-3">
        <TrialsOf source={source} />
      </td>
    </tr>
  );
}

/** The Shelf as a table, for many sources. */
export function SourceList({ sources, kinds }: { sources: Source[]; kinds: Kind[] }) {
  return (
    <table className="w-full rounded-sm border border-line bg-sheet text-small">
      <thead className="text-left text-soft">
        <tr>
          {HEAD.map(([name, hint]) => (
            <th
              key={name}
              scope="col"
              title={hint}
              className={`py-1.5 pr-4 font-normal first:pl-3 ${hint ? "cursor-help underline decoration-dotted underline-offset-2" : ""}`}
            >
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody className="[&_th]:pl-3">
        {sources.map((source) => (
          <Row key={source.id} source={source} kind={kinds.find(({ id }) => id === source.kind)?.name} />
        ))}
      </tbody>
    </table>
  );
}
