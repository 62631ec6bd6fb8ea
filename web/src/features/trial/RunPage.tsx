import { useState } from "react";
import type { Entry, Trial } from "../../api/client";
import { useTakeAction } from "../../api/queries";
import { percent, seconds } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { Bar, Button, ButtonLink, Page, Trouble } from "../../ui/parts";
import { Elsewhere, SaidAnew } from "./Elsewhere";
import { Services } from "./Services";
import { useDelivered } from "./useDeliver";
import { Workers } from "./Workers";

const isLive = ({ state }: Entry) => state === "running" || state === "waiting";

function State({ entry }: { entry: Entry }) {
  if (entry.state === "done")
    return (
      <span>
        {entry.timing?.median != null
          ? `done, ${seconds(entry.timing.median)} a frame`
          : entry.stated?.seconds != null
            ? `done; ${seconds(entry.stated.seconds)} stated`
            : "done"}
      </span>
    );
  if (entry.state === "failed") return <span role="alert">{entry.error}</span>;
  if (entry.state !== "running") return <span className="text-soft">{entry.state}</span>;
  return (
    <span className="flex items-center gap-3">
      <span className="w-40">
        <Bar share={entry.progress} label={`${entry.name} progress`} />
      </span>
      {percent(entry.progress)} {entry.stage}
      {entry.seconds_left != null && (
        <span className="text-soft">about {seconds(entry.seconds_left)} left</span>
      )}
    </span>
  );
}

/** What was found of a file from outside; what spoils its figures stands out. */
function Findings({ entry }: { entry: Entry }) {
  if (entry.findings.length === 0) return null;
  return (
    <ul
      className="col-span-full col-start-2 space-y-0.5 pb-1 text-small"
      data-testid={`found-${entry.letter}`}
    >
      {entry.findings.map(({ words, grave }) => (
        <li key={words} className={grave ? "border-l-4 border-accent pl-2 font-medium" : "text-soft"}>
          {words}
        </li>
      ))}
    </ul>
  );
}

function Row({ trial, entry }: { trial: Trial; entry: Entry }) {
  const act = useTakeAction();
  const delivered = useDelivered(trial.id);
  const [saying, say] = useState(false);
  const live = isLive(entry);
  const over = entry.state === "failed" || entry.state === "cancelled";
  return (
    <li
      data-testid={`entry-${entry.letter}`}
      data-state={entry.state}
      className="grid min-h-14 grid-cols-[auto_17rem_1fr_auto] items-center gap-4 border-b border-line bg-sheet px-3 py-1.5"
    >
      <LetterPlate letter={entry.letter} />
      <span>
        <span className="font-medium">{entry.name}</span>
        {entry.control && <span className="ml-2 rounded-sm bg-well px-1.5 text-note">control</span>}
        {entry.words !== entry.name && <span className="block text-note text-soft">{entry.words}</span>}
      </span>
      <State entry={entry} />
      {live && (
        <Button
          tone="quiet"
          onClick={() => act.mutate({ cancel: { key: entry.take_key, name: entry.name } })}
        >
          Cancel
        </Button>
      )}
      {over && !entry.stated && (
        <Button onClick={() => act.mutate({ retry: entry.take_key })}>Run again</Button>
      )}
      {over && entry.stated && (
        <span className="flex gap-3">
          {entry.other_size ? (
            <Button onClick={() => delivered.mutate({ letter: entry.letter, stated: "resample" })}>
              Resample it
            </Button>
          ) : (
            <Button onClick={() => act.mutate({ retry: entry.take_key })}>Read again</Button>
          )}
          <Button onClick={() => delivered.mutate({ letter: entry.letter, stated: null })}>
            Take it away
          </Button>
        </span>
      )}
      {!live && !over && entry.stated && (
        <Button tone="quiet" aria-expanded={saying} onClick={() => say(!saying)}>
          What is stated
        </Button>
      )}
      <Findings entry={entry} />
      {saying && <SaidAnew trial={trial} entry={entry} close={() => say(false)} />}
    </li>
  );
}

/** Every entry with its state; what is done can be looked at while the rest runs. */
export function RunPage({ trial }: { trial: Trial }) {
  const act = useTakeAction();
  const running = trial.entries.filter(isLive).map((entry) => entry.take_key);
  const live = running.length > 0;
  const done = trial.entries.filter((entry) => entry.state === "done").length;
  return (
    <Page
      title={
        live ? `Running, ${done} of ${trial.entries.length} done` : `${done} of ${trial.entries.length} done`
      }
      actions={
        <>
          {live && (
            <Button onClick={() => act.mutate({ cancelTrial: { id: trial.id, keys: running } })}>
              Cancel all
            </Button>
          )}
          <ButtonLink tone={done > 0 ? "main" : "plain"} to={`/trials/${trial.id}/look`}>
            Look at the results
          </ButtonLink>
        </>
      }
    >
      <Trouble error={act.error} />
      <ul className="border-t border-line">
        {trial.entries.map((entry) => (
          <Row key={entry.letter} trial={trial} entry={entry} />
        ))}
      </ul>
      <Workers live={live} />
      <Services trial={trial} />
      <Elsewhere trial={trial} />
    </Page>
  );
}
