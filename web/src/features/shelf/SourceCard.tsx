import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Kind, type ReadAs, type Source } from "../../api/client";
import { useEditSource, useReadOtherwise, useRemoveSource } from "../../api/queries";
import { bytes, dataRate, frameRate, lasting, megapixels, pixels, rateOf } from "../../ui/format";
import { Scrubbed } from "../../ui/Filmstrip";
import { Button, ButtonLink, Fact, Trouble } from "../../ui/parts";
import { NoiseCurve } from "./NoiseCurve";

export function KindSelect({
  kinds,
  value,
  onChange,
}: {
  kinds: Kind[];
  value: string | null;
  onChange: (kind: string) => void;
}) {
  return (
    <select
      aria-label="Kind"
      value={value ?? ""}
      onChange={(event) => onChange(event.target.value)}
      className="w-full max-w-72 rounded-sm border border-line bg-sheet px-2 py-1"
    >
      {value === null && <option value="">Choose a kind</option>}
      {kinds.map((kind) => (
        <option key={kind.id} value={kind.id}>
          {kind.name}
        </option>
      ))}
    </select>
  );
}

function edges(width: number | null): string {
  if (width === null) return "no edges";
  return width < 0.5 ? "under 0.5 px" : `${width.toFixed(1)} px`;
}

function Figures({ source }: { source: Source }) {
  const { facts, traits } = source;
  if (!facts || !traits) return null;
  return (
    <dl className="grid grid-cols-3 gap-x-4 gap-y-1.5 text-[14px]">
      <Fact name="Size">{pixels(facts)}</Fact>
      <Fact name="Pixels">{megapixels(facts)}</Fact>
      <Fact name="File">{`${facts.file_type}, ${bytes(source.file_bytes)}`}</Fact>
      <Fact name="Depth">{`${facts.bit_depth} bit ${facts.channels}`}</Fact>
      <Fact name="Noise">
        <span title={traits.noise_note || "Of luma, in 8-bit code values (cv)"}>
          {traits.noise_sigma === null ? "not measurable" : `${traits.noise_sigma.toFixed(1)} cv`}
        </span>
        <NoiseCurve traits={traits} />
      </Fact>
      <Fact name="Colour noise">
        {traits.noise_colour == null ? null : `${traits.noise_colour.toFixed(1)} cv`}
      </Fact>
      <Fact name="Edge width">{edges(traits.edge_width)}</Fact>
      <Fact name="Mean level">{`${(traits.mean_level * 100).toFixed(0)} %`}</Fact>
      {facts.colour !== (facts.read_as && readAs(facts.read_as)) && <Fact name="Colour">{facts.colour}</Fact>}
      {facts.rate && <Moving facts={facts} rate={rateOf(facts.rate)} />}
    </dl>
  );
}

function Moving({ facts, rate }: { facts: NonNullable<Source["facts"]>; rate: number }) {
  return (
    <>
      <Fact name="Length">
        {`${facts.frames} frames, ${lasting(facts.frames, rate)}`}
        {facts.shots && facts.shots.length > 1 && `, ${facts.shots.length} shots`}
      </Fact>
      <Fact name="Rate">{`${frameRate(rate)} frames/s, ${facts.scan}`}</Fact>
      <Fact name="Data">{facts.bits_a_second ? dataRate(facts.bits_a_second) : null}</Fact>
      <Fact name="Codec">{facts.codec}</Fact>
      <Fact name="Sound">{facts.sound.join("; ") || "none"}</Fact>
    </>
  );
}

const readAs = (how: ReadAs) => `${how.matrix}, ${how.full_range ? "full range" : "16-235"}`;

/** Matrix and range of a clip, to be set right where its tags are missing or wrong. */
function ReadAsSelects({ source, how }: { source: Source; how: ReadAs }) {
  const read = useReadOtherwise();
  const look = "rounded-sm border border-line bg-sheet px-1 py-0.5";
  return (
    <div className="text-[14px]">
      <div role="group" aria-label="Colour read as" className="flex flex-wrap items-center gap-2">
        <span className="text-soft">Colour read as</span>
        <select
          aria-label="Matrix"
          value={how.matrix}
          onChange={(event) =>
            read.mutate({ id: source.id, how: { ...how, matrix: event.target.value as ReadAs["matrix"] } })
          }
          className={look}
        >
          {["BT.601", "BT.709", "BT.2020"].map((matrix) => (
            <option key={matrix}>{matrix}</option>
          ))}
        </select>
        <select
          aria-label="Range"
          value={how.full_range ? "full" : "limited"}
          onChange={(event) =>
            read.mutate({ id: source.id, how: { ...how, full_range: event.target.value === "full" } })
          }
          className={look}
        >
          <option value="limited">16-235</option>
          <option value="full">full range</option>
        </select>
      </div>
      <Trouble error={read.error} />
    </div>
  );
}

function Unread({ source }: { source: Source }) {
  const queries = useQueryClient();
  const again = useMutation({
    mutationFn: () =>
      answer(client.POST("/api/sources/{source_id}/read", { params: { path: { source_id: source.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  });
  if (source.state !== "failed")
    return <p className="text-soft">{source.state === "reading" ? "Reading" : "Waiting to be read"}</p>;
  return (
    <div role="alert" className="border-l-4 border-accent bg-wash px-3 py-2">
      {source.error}
      <Button tone="quiet" onClick={() => again.mutate()}>
        Read again
      </Button>
    </div>
  );
}

/** One source: picture, story, kind, what was read and measured of it. */
export function SourceCard({ source, kinds }: { source: Source; kinds: Kind[] }) {
  const edit = useEditSource();
  const remove = useRemoveSource();
  const ready = source.state === "ready";
  return (
    <li
      className="grid grid-cols-[13.5rem_1fr] gap-5 rounded-sm border border-line bg-sheet p-3"
      data-testid="source"
    >
      <div className="flex flex-col gap-3">
        <div className="flex h-40 items-center justify-center overflow-hidden bg-[#777]">
          <Scrubbed source={source} />
        </div>
        {ready && (
          <ButtonLink tone="main" to={`/trials/new?source=${source.id}`}>
            Set up a trial
          </ButtonLink>
        )}
      </div>
      <div className="flex min-w-0 flex-col gap-2">
        <div className="flex items-baseline justify-between gap-3">
          <h2 className="truncate text-lg leading-tight font-semibold" title={source.name}>
            {source.name}
          </h2>
          <Button tone="quiet" className="!py-0 text-[14px]" onClick={() => remove.mutate(source.id)}>
            Remove
          </Button>
        </div>
        {source.story && <p className="line-clamp-2 text-[14px] text-soft">{source.story}</p>}
        {ready ? <Figures source={source} /> : <Unread source={source} />}
        {source.facts?.refused && (
          <p role="alert" className="border-l-4 border-accent bg-wash px-3 py-2 text-[14px]">
            {source.facts.refused}
          </p>
        )}
        {source.facts?.notes.map((note) => (
          <p key={note} className="text-[13px] text-soft">
            {note}
          </p>
        ))}
        {source.facts?.read_as && <ReadAsSelects source={source} how={source.facts.read_as} />}
        <Trouble error={edit.error ?? remove.error} />
        {source.suggested && (
          <p className="text-[14px] text-soft">
            Probably{" "}
            <Button
              tone="quiet"
              className="!py-0"
              onClick={() => edit.mutate({ id: source.id, kind: source.suggested?.kind })}
            >
              {kinds.find((kind) => kind.id === source.suggested?.kind)?.name.toLowerCase()}
            </Button>
            : {source.suggested.reason}.
          </p>
        )}
        {ready && (
          <KindSelect
            kinds={kinds}
            value={source.kind}
            onChange={(kind) => edit.mutate({ id: source.id, kind })}
          />
        )}
      </div>
    </li>
  );
}
