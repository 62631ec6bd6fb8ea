import { useState } from "react";
import { Link } from "react-router";
import type { PlaybookKind } from "../../api/client";
import { useEarlierVerdicts, usePlaybook } from "../../api/queries";
import { day, seconds } from "../../ui/format";
import { Button, Empty, Page, Trouble } from "../../ui/parts";
import { Thumbnail } from "../../ui/Thumbnail";

type Verdict = NonNullable<PlaybookKind["standing"]>;

function Standing({ verdict }: { verdict: Verdict }) {
  return (
    <div className="grid grid-cols-[8rem_1fr_23rem] gap-5">
      <span className="flex h-24 items-center justify-center bg-surround">
        {verdict.picture_id && <Thumbnail picture={verdict.picture_id} className="max-h-24 max-w-32" />}
      </span>
      <div className="min-w-0">
        <p className="text-lg font-semibold">{verdict.pick_name}</p>
        {verdict.pick_words !== verdict.pick_name && (
          <p className="text-small text-soft">{verdict.pick_words}</p>
        )}
        <p className="mt-1 line-clamp-4 whitespace-pre-line">{verdict.reasons}</p>
        <p className="mt-1 text-small text-soft">{verdict.pick_figures.join(", ")}</p>
      </div>
      <dl className="grid h-fit min-w-0 grid-cols-[auto_minmax(0,1fr)] gap-x-3 gap-y-1 text-small">
        <dt className="text-soft">Cost</dt>
        <dd>{verdict.pick_seconds != null ? `${seconds(verdict.pick_seconds)} a frame` : "–"}</dd>
        <dt className="text-soft">Quick fallback</dt>
        <dd>
          {verdict.fallback_name
            ? `${verdict.fallback_name}${verdict.fallback_seconds != null ? `, ${seconds(verdict.fallback_seconds)} a frame` : ""}`
            : "none"}
        </dd>
        <dt className="text-soft">Evidence</dt>
        <dd>
          <Link
            className="underline underline-offset-4"
            to={`/trials/${verdict.trial_id}/look?${verdict.view}`}
          >
            {verdict.trial_name}
          </Link>{" "}
          <span className="text-soft">
            {[verdict.source_name, verdict.setup_words, verdict.author, day(verdict.created_at)]
              .filter(Boolean)
              .join(", ")}
          </span>
          <span className="mt-1 flex gap-4">
            <Link className="underline underline-offset-4" to={`/trials/${verdict.trial_id}/scores`}>
              Its scores
            </Link>
            {verdict.pick_recipe_id && (
              <Link
                className="underline underline-offset-4"
                to={`/trials/new?recipe=${verdict.pick_recipe_id}`}
              >
                Use this recipe
              </Link>
            )}
          </span>
        </dd>
      </dl>
    </div>
  );
}

function Earlier({ kind, standing }: { kind: PlaybookKind; standing: Verdict }) {
  const [open, setOpen] = useState(false);
  const { data, error, hasNextPage, isFetching, fetchNextPage } = useEarlierVerdicts(
    kind.kind,
    standing.id,
    open,
  );
  return (
    <details className="mt-3" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="cursor-pointer text-accent-deep">
        {kind.earlier} earlier {kind.earlier === 1 ? "verdict" : "verdicts"}
      </summary>
      <Trouble error={error} />
      <div className="mt-3 space-y-4">
        {data?.pages
          .flatMap((page) => page.verdicts)
          .map((verdict) => (
            <Standing key={verdict.id} verdict={verdict} />
          ))}
      </div>
      {hasNextPage && (
        <Button className="mt-3" disabled={isFetching} onClick={() => void fetchNextPage()}>
          Show more
        </Button>
      )}
    </details>
  );
}

function Kind({ kind }: { kind: PlaybookKind }) {
  const { standing } = kind;
  if (!standing) return null;
  return (
    <section className="rounded-sm border border-line bg-sheet p-4" data-testid={`kind-${kind.kind}`}>
      <h2 className="mb-2 text-xl font-semibold">{kind.kind_name}</h2>
      <Standing verdict={standing} />
      {kind.earlier > 0 && <Earlier key={standing.id} kind={kind} standing={standing} />}
    </section>
  );
}

/** The standing choice for each kind of footage, with the verdicts behind it. */
export function PlaybookPage() {
  const { data = [], error, isSuccess } = usePlaybook();
  const open = data.filter((kind) => kind.standing === null).map((kind) => kind.kind_name.toLowerCase());
  return (
    <Page title="Playbook" wide>
      <Trouble error={error} />
      {isSuccess && open.length === data.length && (
        <Empty title="No kind has a standing choice yet">
          Write the verdict of a trial: its pick then stands here for that kind of footage, with the evidence.
        </Empty>
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(min(100%,52rem),1fr))] gap-3">
        {data.map((kind) => (
          <Kind key={kind.kind} kind={kind} />
        ))}
      </div>
      {open.length > 0 && open.length < data.length && (
        <p className="mt-5 text-soft">Still open: {open.join("; ")}.</p>
      )}
    </Page>
  );
}
