import type { Entry, Measure, Picture, Remark, Standing, Trial } from "../../api/client";
import { useMarking } from "../../api/marks";
import { seconds } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { useDraft } from "../../ui/useDraft";
import { useViewport } from "../../viewer/viewport";
import { atMost } from "../scores/notes";
import { CHIP, FIELD } from "./chip";
import { DEFAULTS, type Choice } from "./useLook";

const STANDINGS: [Standing, string][] = [
  ["kept", "Keep"],
  ["finalist", "Finalist"],
  ["retired", "Retire"],
];

/** What is dragged from the tray to a pane. */
export const DRAGGED = "application/x-mistline-entry";

function Thought({ trial, entry }: { trial: Trial; entry: Entry }) {
  const { setStanding } = useMarking(trial.id);
  const before = { standing: entry.standing, reason: entry.standing_reason };
  const [reason, setReason, touched] = useDraft(`standing ${trial.id} ${entry.letter}`, before.reason);
  const set = (standing: Standing | null, words: string) =>
    setStanding.mutate({ letter: entry.letter, before, after: { standing, reason: words } });
  return (
    <div className="flex flex-wrap items-center text-note">
      {STANDINGS.map(([standing, word]) => (
        <button
          key={standing}
          type="button"
          className={`${CHIP} !py-0`}
          aria-pressed={entry.standing === standing}
          aria-label={`${word} ${entry.letter}`}
          onClick={() => set(entry.standing === standing ? null : standing, reason)}
        >
          {word}
        </button>
      ))}
      {entry.standing && (
        <input
          aria-label={`Why ${entry.letter} is ${entry.standing}`}
          placeholder="why"
          maxLength={500}
          value={reason}
          onChange={(event) => setReason(event.target.value)}
          onBlur={() => touched && set(entry.standing, reason)}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          className={`${FIELD} mt-0.5 w-full`}
        />
      )}
    </div>
  );
}

/** The frame that is shown, for elsewhere. */
function TakeAway({ picture }: { picture: Picture }) {
  const frame = useViewport((view) => Math.min(view.frame, picture.frames - 1));
  return (
    <p className="pl-8 text-fine text-lamp-soft">
      <a className="underline" download href={`/api/pictures/${picture.id}/frames/${frame}/plate`}>
        Lossless file
      </a>
      {", "}
      <a
        className="underline"
        title="The address for viewers that read the open IIIF Image API 3"
        href={`/api/iiif/3/${picture.id}-${frame}/info.json`}
      >
        for other viewers
      </a>
    </p>
  );
}

interface RowProps {
  trial: Trial;
  choice: Choice;
  measure: Measure | undefined;
  remarks: number;
  shown: boolean;
  active: boolean;
  put: (id: string) => void;
}

function Row({ trial, choice, measure, remarks, shown, active, put }: RowProps) {
  const { entry } = choice;
  const same = trial.same.flatMap(({ first, second }) =>
    first === choice.id ? second : second === choice.id ? first : [],
  );
  const score = measure && entry?.scores[measure.id];
  const figure = measure && score && (score.value?.toFixed(measure.digits) ?? atMost(score, measure));
  const told = [
    figure && `${measure.unit ? "" : measure.name} ${figure} ${measure.unit}`.trim(),
    entry?.timing?.median != null && seconds(entry.timing.median),
    remarks > 0 && `${remarks} remark${remarks > 1 ? "s" : ""}`,
  ].filter(Boolean);
  return (
    <li
      draggable
      onDragStart={(event) => event.dataTransfer.setData(DRAGGED, choice.id)}
      data-testid={`tray-${choice.id}`}
      className={`border-l-4 px-2 py-1.5 ${active ? "border-lamp bg-room-field" : shown ? "border-room-line" : "border-transparent"} ${entry?.standing === "retired" ? "text-lamp-dim" : ""}`}
    >
      <button
        type="button"
        className="flex w-full items-center gap-2 text-left hover:underline"
        aria-pressed={active}
        onClick={() => put(choice.id)}
      >
        <LetterPlate letter={choice.plate} neutral />
        <span className="min-w-0">
          <span className="block truncate font-semibold" title={choice.name}>
            {choice.name}
          </span>
          <span className="block truncate text-fine text-lamp-soft" title={choice.detail}>
            {choice.waiting ?? (told.join(" · ") || choice.detail)}
          </span>
        </span>
      </button>
      {active && choice.picture && <TakeAway picture={choice.picture} />}
      {entry && !entry.control && choice.picture && (
        <>
          {choice.detail !== DEFAULTS && (
            <p className="truncate pl-8 text-fine text-lamp-soft" title={choice.detail}>
              {choice.detail}
            </p>
          )}
          {same.length > 0 && (
            <p className="pl-8 text-fine">the same picture as {same.join(", ")}, to any eye</p>
          )}
          <div className="pl-6">
            <Thought trial={trial} entry={entry} />
          </div>
        </>
      )}
    </li>
  );
}

interface Props {
  trial: Trial;
  choices: Choice[];
  panes: string[];
  focus: number;
  remarks: Remark[];
  put: (id: string) => void;
}

/** Everything that can be looked at; a press or a drag puts it into a pane, retired entries stand last. */
export function Tray({ trial, choices, panes, focus, remarks, put }: Props) {
  const last = (choice: Choice) => Number(choice.entry?.standing === "retired");
  const measure = trial.measures.find(({ id }) => id === trial.lead);
  return (
    <ul aria-label="Entries">
      {[...choices]
        .sort((one, other) => last(one) - last(other))
        .map((choice) => (
          <Row
            key={choice.id}
            trial={trial}
            choice={choice}
            measure={measure}
            remarks={remarks.filter(({ letter }) => letter === choice.id).length}
            shown={panes.includes(choice.id)}
            active={panes[focus] === choice.id}
            put={put}
          />
        ))}
    </ul>
  );
}
