import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link } from "react-router";
import type { Queue } from "../api/client";
import { useConnection } from "../api/live";
import { useQueue, useTakeAction } from "../api/queries";
import { bytes, percent, seconds, timeOfDay } from "../ui/format";
import { LetterPlate } from "../ui/LetterPlate";
import { notify, useNotice } from "../ui/notice";
import { Bar, Button } from "../ui/parts";

type Item = Queue["items"][number];
const DRAGGED = "application/x-mistline-take";

function Row({ item, waiting }: { item: Item; waiting: Item[] }) {
  const act = useTakeAction();
  const place = waiting.indexOf(item);
  const move = (key: string, before: string | null) => act.mutate({ move: { key, before } });
  return (
    <li
      className="grid grid-cols-[auto_1fr_12rem_13rem_11rem_auto] items-center gap-3 py-1"
      data-testid={`queued-${item.letter}`}
      draggable={place >= 0}
      onDragStart={(event) => event.dataTransfer.setData(DRAGGED, item.key)}
      onDragOver={(event) =>
        place >= 0 && event.dataTransfer.types.includes(DRAGGED) && event.preventDefault()
      }
      onDrop={(event) => {
        const dragged = event.dataTransfer.getData(DRAGGED);
        if (dragged && dragged !== item.key) move(dragged, item.key);
      }}
    >
      <LetterPlate letter={item.letter} />
      <Link to={`/trials/${item.trial_id}/run`} className="truncate hover:underline" draggable={false}>
        {item.entry_name} <span className="text-soft">in {item.trial_name}</span>
      </Link>
      <Bar share={item.progress} label={`${item.entry_name} progress`} />
      <span className="truncate text-soft">
        {item.seconds_gone === null ? "waiting" : `${item.stage}, ${seconds(item.seconds_gone)} so far`}
      </span>
      <span className="flex gap-3">
        {place >= 0 && waiting.length > 1 && (
          <>
            <Button
              tone="quiet"
              disabled={place === 0}
              aria-label={`${item.entry_name} sooner`}
              onClick={() => move(item.key, waiting[place - 1]?.key ?? null)}
            >
              Sooner
            </Button>
            <Button
              tone="quiet"
              disabled={place === waiting.length - 1}
              aria-label={`${item.entry_name} later`}
              onClick={() => move(item.key, waiting[place + 2]?.key ?? null)}
            >
              Later
            </Button>
          </>
        )}
      </span>
      <Button tone="quiet" onClick={() => act.mutate({ cancel: { key: item.key, name: item.entry_name } })}>
        Cancel
      </Button>
    </li>
  );
}

function Summary({ queue }: { queue: Queue }) {
  const running = queue.items.find((item) => item.state === "running");
  const waiting = queue.number - queue.items.filter((item) => item.state === "running").length;
  if (queue.items.length === 0) return <span className="text-soft">Nothing is running.</span>;
  return (
    <>
      {running ? (
        <>
          <span className="max-w-[26rem] min-w-0 truncate">
            {running.letter} {running.entry_name}, {running.stage}
          </span>
          <span className="w-40">
            <Bar share={running.progress} label="Progress of the running take" />
          </span>
          <span className="whitespace-nowrap">
            {percent(running.progress)}
            {running.seconds_gone !== null && `, ${seconds(running.seconds_gone)} so far`}
          </span>
        </>
      ) : (
        <span>Starting</span>
      )}
      <span className="whitespace-nowrap text-soft">{waiting} waiting</span>
      <span className="whitespace-nowrap text-soft">
        {queue.seconds_left === null
          ? "time left not known yet"
          : `about ${seconds(queue.seconds_left)} left`}
      </span>
    </>
  );
}

/** What was just done, with the way back. */
function Undoable() {
  const notice = useNotice((state) => state.notice);
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: () => notice?.undo() ?? Promise.resolve(),
    onSuccess: () => {
      notify(null);
      return queries.invalidateQueries();
    },
  });
  const { reset } = undo;
  useEffect(() => reset(), [notice, reset]);
  if (!notice) return null;
  return (
    <div role="status" className="flex h-9 items-center gap-4 border-b border-line bg-wash px-6 text-small">
      <span className="truncate">{undo.error ? undo.error.message : notice.words}</span>
      <Button tone="quiet" className="font-semibold" disabled={undo.isPending} onClick={() => undo.mutate()}>
        Undo
      </Button>
      <Button tone="quiet" className="ml-auto" onClick={() => notify(null)}>
        Put away
      </Button>
    </div>
  );
}

/** At the foot of every page: what runs, how far, how long, what waits. */
export function RunDock() {
  const { data } = useQueue();
  const lostSince = useConnection((connection) => connection.lostSince);
  const act = useTakeAction();
  const queue = data ?? { items: [], number: 0, seconds_left: null, failed: 0, low_disk: null };
  const waiting = queue.items.filter((item) => item.state === "waiting");
  return (
    <Disclosure as="footer" className="shrink-0 border-t border-line bg-sheet" aria-label="Run dock">
      <Undoable />
      <DisclosurePanel
        as="ul"
        className="max-h-60 divide-y divide-line overflow-y-auto border-b border-line px-6 py-2"
      >
        {queue.items.map((item) => (
          <Row key={item.key} item={item} waiting={waiting} />
        ))}
        {queue.number > queue.items.length && (
          <li className="py-2 text-soft">and {queue.number - queue.items.length} more</li>
        )}
        {queue.items.length === 0 && <li className="py-2 text-soft">The queue is empty.</li>}
      </DisclosurePanel>
      <div className="flex h-9 items-center gap-4 px-6 text-small" aria-live="off">
        <DisclosureButton className="font-semibold hover:underline">
          Queue {queue.number > 0 && `(${queue.number})`}
        </DisclosureButton>
        {lostSince ? (
          <span role="alert">
            No connection since {timeOfDay(lostSince)}: what is shown is from then. Trying again.
          </span>
        ) : (
          <Summary queue={queue} />
        )}
        <span className="ml-auto" />
        {queue.failed > 0 && (
          <span className="flex items-center gap-3">
            {queue.failed === 1 ? "1 result failed" : `${queue.failed} results failed`}
            <Button tone="quiet" onClick={() => act.mutate({ retryFailed: true })}>
              Run again
            </Button>
          </span>
        )}
        <Link to="/storage" className="text-soft underline-offset-4 hover:underline">
          {queue.low_disk === null ? (
            "Storage"
          ) : (
            <span role="alert" className="font-semibold text-ink">
              Little disk space left: {bytes(queue.low_disk)}
            </span>
          )}
        </Link>
      </div>
    </Disclosure>
  );
}
