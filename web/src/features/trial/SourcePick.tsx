import type { Source } from "../../api/client";
import { useImportPart, useSource, useSources } from "../../api/queries";
import { noise, pixels } from "../../ui/format";
import { Scrubbed } from "../../ui/Filmstrip";
import { Button, Trouble } from "../../ui/parts";

const PART_SIDE = 1024;
const isMoving = ({ facts }: Source) => (facts?.frames ?? 1) > 1;

/** Sources of the Shelf that can be tried. */
function useReady() {
  const { data } = useSources();
  return (data?.pages.flatMap((page) => page.items) ?? []).filter((source) => source.state === "ready");
}

/** The source, by name. */
export function SourcePick({ value, onChange }: { value: string | null; onChange: (id: string) => void }) {
  const chosen = useSource(value).data;
  const items = useReady();
  return (
    <div className="flex items-center gap-4">
      <span className="flex h-24 w-36 shrink-0 items-center justify-center bg-surround">
        {chosen && <Scrubbed source={chosen} className="max-h-24" />}
      </span>
      <label className="grow">
        <span className="mb-1 block text-note text-soft">Source</span>
        <select
          value={value ?? ""}
          onChange={(event) => onChange(event.target.value)}
          className="w-full rounded-sm border border-line bg-sheet px-2 py-1.5"
        >
          {value === null && <option value="">Choose a source from the Shelf</option>}
          {chosen && !items.some((source) => source.id === chosen.id) && (
            <option value={chosen.id}>{chosen.name}</option>
          )}
          {items.map((source) => (
            <option key={source.id} value={source.id}>
              {source.name}
            </option>
          ))}
        </select>
        {chosen?.facts && (
          <span className="mt-1 block text-small text-soft">
            {pixels(chosen.facts)}, {chosen.facts.bit_depth} bit
            {chosen.traits && `, noise ${noise(chosen.traits)}`}
          </span>
        )}
      </label>
    </div>
  );
}

/** A large still can be tried on its middle first. */
export function PartFirst({ source, choose }: { source: Source; choose: (id: string) => void }) {
  const cut = useImportPart(source.id);
  const { width = 0, height = 0 } = source.facts ?? {};
  const part = { width: Math.min(PART_SIDE, width), height: Math.min(PART_SIDE, height) };
  if (isMoving(source) || width * height < 2 * part.width * part.height) return null;
  const place = { left: Math.floor((width - part.width) / 2), top: Math.floor((height - part.height) / 2) };
  return (
    <div className="text-small">
      <Button
        tone="quiet"
        disabled={cut.isPending}
        onClick={() => cut.mutate({ ...part, ...place }, { onSuccess: ({ id }) => choose(id) })}
      >
        Try it on the middle first
      </Button>{" "}
      <span className="text-soft">
        {pixels(part)} of it, as a source of its own: about{" "}
        {Math.round((width * height) / (part.width * part.height))} times quicker.
      </span>
      <Trouble error={cut.error} />
    </div>
  );
}

interface AlsoOnProps {
  source: Source;
  value: string[];
  onChange: (ids: string[]) => void;
}

/** Other sources that get the same trial. */
export function AlsoOn({ source, value, onChange }: AlsoOnProps) {
  const others = useReady().filter((other) => other.id !== source.id && isMoving(other) === isMoving(source));
  if (others.length === 0) return null;
  return (
    <details open={value.length > 0 || undefined}>
      <summary className="cursor-pointer text-small text-accent-deep">
        {value.length === 0 ? "The same on other sources too" : `The same on ${value.length} more`}
      </summary>
      <ul className="mt-1 grid max-h-44 grid-cols-2 gap-x-6 overflow-y-auto border-y border-line py-1 text-small">
        {others.map(({ id, name }) => (
          <li key={id}>
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className="accent-accent"
                checked={value.includes(id)}
                onChange={() =>
                  onChange(value.includes(id) ? value.filter((one) => one !== id) : [...value, id])
                }
              />
              <span className="truncate" title={name}>
                {name}
              </span>
            </label>
          </li>
        ))}
      </ul>
    </details>
  );
}
