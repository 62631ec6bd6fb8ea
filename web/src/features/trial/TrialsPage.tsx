import { Link } from "react-router";
import type { TrialItem } from "../../api/client";
import { useTrials } from "../../api/queries";
import { problem } from "../../api/live";
import { day } from "../../ui/format";
import { Button, ButtonLink, Empty, Page, Trouble } from "../../ui/parts";
import { Thumbnail } from "../../ui/Thumbnail";

function progress(trial: TrialItem): string {
  if (trial.done === trial.takes) return "all done";
  const ended = trial.ended > 0 ? `, ${trial.ended} failed or cancelled` : "";
  return `${trial.done} of ${trial.takes} done${ended}`;
}

function Row({ trial }: { trial: TrialItem }) {
  return (
    <li>
      <Link
        to={`/trials/${trial.id}`}
        className="grid grid-cols-[6rem_1fr_11rem_13rem] items-center gap-5 border-b border-line bg-sheet px-3 py-2 hover:bg-wash"
      >
        <span className="flex h-14 items-center justify-center bg-surround">
          {trial.picture_id && <Thumbnail picture={trial.picture_id} className="max-h-14 max-w-24" />}
        </span>
        <span className="min-w-0">
          <span className="block truncate text-lg font-semibold" title={trial.name}>
            {trial.name}
          </span>
          <span className="block text-soft">
            {trial.source_name}, {trial.words}
          </span>
        </span>
        <span>
          {progress(trial)}
          <span className="block text-note text-soft">{day(trial.created_at)}</span>
        </span>
        <span className="min-w-0">
          {trial.pick ? `Pick: ${trial.pick}` : <span className="text-soft">no verdict yet</span>}
        </span>
      </Link>
    </li>
  );
}

export function TrialsPage() {
  const trials = useTrials();
  const items = trials.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Page
      title="Trials"
      actions={
        <ButtonLink tone="main" to="/trials/new">
          Set up a trial
        </ButtonLink>
      }
    >
      <Trouble error={problem(trials)} />
      {trials.isSuccess && items.length === 0 && (
        <Empty title="No trials yet">
          A trial runs several recipes on one source and lets you compare them. It starts with a source from
          the{" "}
          <Link className="underline" to="/shelf">
            Shelf
          </Link>
          .
        </Empty>
      )}
      <ul className="border-t border-line">
        {items.map((trial) => (
          <Row key={trial.id} trial={trial} />
        ))}
      </ul>
      {trials.hasNextPage && (
        <Button className="mt-4" onClick={() => void trials.fetchNextPage()}>
          Show more
        </Button>
      )}
    </Page>
  );
}
