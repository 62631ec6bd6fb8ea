import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { answer, client, Unreachable, type Kind, type ReadAs, type Source } from "../../api/client";
import { useEditSource, useReadOtherwise, useRemoveSource } from "../../api/queries";
import {
  atMost,
  bytes,
  dataRate,
  frameRate,
  lasting,
  megapixels,
  pixels,
  rateOf,
  timecode,
} from "../../ui/format";
import { Scrubbed } from "../../ui/Filmstrip";
import { Button, ButtonLink, Fact, FIELD, Trouble } from "../../ui/parts";
import { NoiseCurve } from "./NoiseCurve";

/** A kind of footage. Stepping through them by keys chooses when one goes on, not at each step. */
export function KindSelect({
  kinds,
  value,
  onChange,
}: {
  kinds: Kind[];
  value: string | null;
  onChange: (kind: string) => void;
}) {
  const [stepped, setStepped] = useState<string | null>(null);
  const byKeys = useRef(false);
  const take = () => {
    if (stepped !== null && stepped !== value) onChange(stepped);
    setStepped(null);
  };
  return (
    <select
      aria-label="Kind"
      value={stepped ?? value ?? ""}
      onKeyDown={({ key }) => {
        byKeys.current = true;
        if (key === "Enter") take();
        if (key === "Escape") setStepped(null);
      }}
      onPointerDown={() => (byKeys.current = false)}
      onBlur={take}
      onChange={({ target }) => (byKeys.current ? setStepped(target.value) : onChange(target.value))}
      className={`${FIELD} w-full max-w-72`}
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

export const HINTS = {
  noise:
    "Grain of the brightness in flat areas, as sigma in 8-bit code values (cv): 1 is hardly seen, 5 is plain, 15 is strong",
  colourNoise: "Specks and clouds of colour in flat areas, as sigma in 8-bit code values (cv)",
  edgeWidth: "Pixels that strong edges need from 10 to 90 % of their step: under 2 is crisp, over 4 is soft",
  level: "Mean brightness: 0 % is black, 100 % is white",
  squares:
    "How much larger steps are on a grid of compression squares than beside it: from about 5 % on it is seen",
  motion: "How far what is in the picture moves from frame to frame, in the middle of all frames",
  temporalNoise:
    "Noise that is new on each frame, as sigma in 8-bit code values (cv), in calm parts. Where the noise of one frame is much more, that noise stands still or moves with the picture: a pattern or texture, not grain",
  flicker:
    "How much the mean brightness jumps from frame to frame, as sigma in 8-bit code values (cv): from about 0.5 on it is seen",
};

export function edges(width: number | null): string {
  if (width === null) return "no edges";
  return width < 0.5 ? "under 0.5 px" : `${width.toFixed(1)} px`;
}

/** A noise figure, or the most that it can be; why it cannot be told stands in a hint. */
export function Sigma({ sigma, most, why }: { sigma?: number | null; most?: number | null; why?: string }) {
  if (sigma != null) return `${sigma.toFixed(1)} cv`;
  return (
    <span title={why} className="cursor-help underline decoration-dotted underline-offset-2">
      {atMost(most)}
    </span>
  );
}

function Figures({ source }: { source: Source }) {
  const { facts, traits } = source;
  if (!facts || !traits) return null;
  return (
    <dl className="grid grid-cols-3 gap-x-4 gap-y-1.5 text-small">
      <Fact name="Size">{pixels(facts)}</Fact>
      <Fact name="Pixels">{megapixels(facts)}</Fact>
      <Fact name="File">{`${facts.file_type}, ${bytes(source.file_bytes)}`}</Fact>
      <Fact name="Depth">{`${facts.bit_depth} bit ${facts.channels}`}</Fact>
      <Fact name="Noise" hint={HINTS.noise}>
        <Sigma sigma={traits.noise_sigma} most={traits.noise_most} why={traits.noise_note} />
        <NoiseCurve traits={traits} />
      </Fact>
      <Fact name="Colour noise" hint={HINTS.colourNoise}>
        <Sigma sigma={traits.noise_colour} most={traits.colour_most} why={traits.colour_note} />
      </Fact>
      <Fact name="Edge width" hint={HINTS.edgeWidth}>
        {edges(traits.edge_width)}
      </Fact>
      <Fact name="Mean level" hint={HINTS.level}>
        {`${(traits.mean_level * 100).toFixed(0)} %`}
      </Fact>
      <Fact name="Squares" hint={HINTS.squares}>
        {traits.squares ? `${traits.squares.toFixed(0)} %` : "none"}
      </Fact>
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
        {facts.shots && facts.shots.length > 1 && (
          <span
            title={`They begin at ${facts.shots.map((frame) => timecode(frame, rate)).join(", ")}`}
            className="cursor-help underline decoration-dotted underline-offset-2"
          >
            , {facts.shots.length} shots
          </span>
        )}
      </Fact>
      <Fact name="Rate">{`${frameRate(rate)} frames/s, ${facts.scan}`}</Fact>
      {facts.motion != null && (
        <Fact name="Motion" hint={HINTS.motion}>
          {facts.motion ? `${facts.motion.toFixed(1)} px a frame` : "hardly any"}
        </Fact>
      )}
      {facts.temporal_noise != null && (
        <Fact name="Noise over time" hint={HINTS.temporalNoise}>
          {`${facts.temporal_noise.toFixed(1)} cv`}
        </Fact>
      )}
      {facts.flicker != null && (
        <Fact name="Flicker" hint={HINTS.flicker}>{`${facts.flicker.toFixed(1)} cv`}</Fact>
      )}
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
    <div className="text-small">
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

/** Name and story, to be changed. */
function Words({ source, close }: { source: Source; close: () => void }) {
  const edit = useEditSource();
  const [name, setName] = useState(source.name);
  const [story, setStory] = useState(source.story);
  // None once a refusal has told what others wrote: that may be replaced.
  const [opened, setOpened] = useState<number | undefined>(source.version);
  const field = `${FIELD} w-full`;
  return (
    <form
      className="grid gap-2"
      onKeyDown={(event) => event.key === "Escape" && close()}
      onSubmit={(event) => {
        event.preventDefault();
        edit.mutate(
          { id: source.id, name: name.trim(), story: story.trim(), version: opened },
          { onSuccess: close, onError: (error) => error instanceof Unreachable || setOpened(undefined) },
        );
      }}
    >
      <input
        aria-label="Name"
        autoFocus
        maxLength={200}
        required
        value={name}
        onChange={(event) => setName(event.target.value)}
        className={field}
      />
      <textarea
        aria-label="Story"
        placeholder="What it shows, where it comes from, what is wrong with it"
        rows={2}
        maxLength={400}
        value={story}
        onChange={(event) => setStory(event.target.value)}
        className={field}
      />
      <div className="flex gap-2">
        <Button type="submit" disabled={!name.trim()}>
          Save
        </Button>
        <Button tone="quiet" onClick={close}>
          Leave it
        </Button>
      </div>
      <Trouble error={edit.error} />
    </form>
  );
}

/** Which trials a source has, and what their verdicts picked. */
export function TrialsOf({ source }: { source: Source }) {
  const more = source.tried - source.trials.length;
  if (source.tried === 0) return <p className="text-small text-soft">Not tried yet</p>;
  return (
    <ul aria-label={`Trials on ${source.name}`} className="text-small">
      {source.trials.map((trial) => (
        <li key={trial.id} className="flex min-w-0 flex-wrap gap-x-2">
          <Link
            to={`/trials/${trial.id}/${trial.pick ? "verdict" : "look"}`}
            title={trial.name}
            className="truncate text-accent-deep underline-offset-4 hover:underline"
          >
            {trial.name}
          </Link>
          <span className="truncate text-soft" title={trial.pick ?? undefined}>
            {trial.pick ? `picked ${trial.pick}` : "no verdict yet"}
          </span>
        </li>
      ))}
      {more > 0 && <li className="text-soft">and {more} more</li>}
    </ul>
  );
}

/** One source: picture, story, kind, what was read and measured of it. */
export function SourceCard({ source, kinds }: { source: Source; kinds: Kind[] }) {
  const edit = useEditSource();
  const remove = useRemoveSource();
  const ready = source.state === "ready";
  const [writing, write] = useState(false);
  return (
    <li
      className="grid grid-cols-[13.5rem_1fr] gap-5 rounded-sm border border-line bg-sheet p-3"
      data-testid="source"
    >
      <div className="flex flex-col gap-3">
        <div className="flex h-40 items-center justify-center overflow-hidden bg-surround">
          <Scrubbed source={source} />
        </div>
        {ready && (
          <ButtonLink tone="main" to={`/trials/new?source=${source.id}`}>
            Set up a trial
          </ButtonLink>
        )}
      </div>
      <div className="flex min-w-0 flex-col gap-2">
        {writing ? (
          <Words source={source} close={() => write(false)} />
        ) : (
          <>
            <div className="flex items-baseline justify-between gap-3">
              <h2 className="min-w-0 flex-1 truncate text-lg leading-tight font-semibold" title={source.name}>
                {source.name}
              </h2>
              <Button
                tone="quiet"
                className="!py-0 text-small"
                aria-label={`Edit the name and story of ${source.name}`}
                onClick={() => write(true)}
              >
                Edit
              </Button>
              <Button tone="quiet" className="!py-0 text-small" onClick={() => remove.mutate(source)}>
                Remove
              </Button>
            </div>
            {source.story && (
              <p className="line-clamp-2 text-small text-soft" title={source.story}>
                {source.story}
              </p>
            )}
          </>
        )}
        {ready ? <Figures source={source} /> : <Unread source={source} />}
        {source.facts?.refused && (
          <p role="alert" className="border-l-4 border-accent bg-wash px-3 py-2 text-small">
            {source.facts.refused}
          </p>
        )}
        {source.facts?.notes.map((note) => (
          <p key={note} className="text-note text-soft">
            {note}
          </p>
        ))}
        {source.facts?.read_as && <ReadAsSelects source={source} how={source.facts.read_as} />}
        <Trouble error={edit.error ?? remove.error} />
        {source.suggested && (
          <p className="text-small text-soft">
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
        {ready && <TrialsOf source={source} />}
      </div>
    </li>
  );
}
