import { useState } from "react";
import { Link } from "react-router";
import type { Entry, Remark, Trial } from "../../api/client";
import { useRemarks } from "../../api/marks";
import { useKinds, useWriteVerdict } from "../../api/queries";
import { day, money, seconds, unbroken } from "../../ui/format";
import { LetterPlate } from "../../ui/LetterPlate";
import { Button, FIELD, Page, Trouble } from "../../ui/parts";
import { useDraft } from "../../ui/useDraft";
import { lastView } from "../look/address";
import { atMost } from "../scores/notes";
import { KindSelect } from "../shelf/SourceCard";

/** The figures that speak for an entry of this kind of footage, its time, and what was marked. */
function evidence(trial: Trial, entry: Entry, remarks: Remark[]): string {
  const seen = remarks.filter(({ letter }) => letter === entry.letter);
  const severe = seen.filter(({ severity }) => severity === 3).map(({ defect }) => defect);
  const figures = trial.evidence.flatMap((id) => {
    const measure = trial.measures.find((one) => one.id === id);
    const score = entry.scores[id];
    if (!measure || !score) return [];
    const figure = score.value?.toFixed(measure.digits) ?? atMost(score, measure);
    return figure === null ? [] : [`${measure.name} ${figure} ${measure.unit}`.trim()];
  });
  const cost = trial.cost.priced && trial.cost.entries.find(({ letter }) => letter === entry.letter)?.cost;
  const parts = [
    ...figures,
    entry.timing?.median != null && `${seconds(entry.timing.median)} a frame`,
    cost && `${money(cost.job)} ${trial.cost.currency} for the job`,
  ];
  return [
    unbroken(parts.filter(Boolean).join(", ")),
    seen.length > 0 && `${seen.length} remark${seen.length > 1 ? "s" : ""}`,
    severe.length > 0 && `ruled out by ${severe.join(", ")}`,
    entry.standing && `${entry.standing}${entry.standing_reason ? `: ${entry.standing_reason}` : ""}`,
  ]
    .filter(Boolean)
    .join("; ");
}

const NICKNAME = "nickname"; // of whoever uses this browser

interface Draft {
  pick: string | null;
  fallback: string | null;
  kind: string | null;
  reasons: string;
}

interface ChoiceProps {
  trial: Trial;
  name: string;
  entries: Entry[];
  remarks: Remark[];
  value: string | null;
  none?: boolean;
  onChange: (letter: string | null) => void;
}

function Choice({ trial, name, entries, remarks, value, none = false, onChange }: ChoiceProps) {
  return (
    <fieldset>
      <legend className="mb-1 font-display text-lg font-semibold">{name}</legend>
      <div className="divide-y divide-line border-y border-line bg-sheet">
        {entries.map((entry) => (
          <label key={entry.letter} className="flex items-center gap-3 px-3 py-1.5">
            <input
              type="radio"
              name={name}
              className="accent-accent"
              checked={value === entry.letter}
              onChange={() => onChange(entry.letter)}
            />
            <LetterPlate letter={entry.letter} />
            <span className="min-w-0">
              <span className="block truncate font-medium" title={entry.name}>
                {entry.name}
              </span>
              <span className="block text-note text-soft">{evidence(trial, entry, remarks)}</span>
            </span>
          </label>
        ))}
        {none && (
          <label className="flex items-center gap-3 px-3 py-1.5">
            <input
              type="radio"
              name={name}
              className="accent-accent"
              checked={value === null}
              onChange={() => onChange(null)}
            />
            No quick fallback
          </label>
        )}
      </div>
    </fieldset>
  );
}

function History({ trial }: { trial: Trial }) {
  const kinds = new Map((useKinds().data ?? []).map((kind) => [kind.id, kind.name]));
  if (trial.verdicts.length === 0) return null;
  return (
    <section className="mt-8">
      <h2 className="mb-2 text-xl font-semibold">Written so far</h2>
      <ol className="divide-y divide-line border-y border-line bg-sheet">
        {trial.verdicts.map((verdict, index) => (
          <li
            key={verdict.id}
            className={`px-4 py-2.5 ${index > 0 ? "text-soft" : ""}`}
            data-testid="verdict"
          >
            <span className="font-semibold">
              {verdict.pick} {verdict.pick_name}
            </span>
            {verdict.fallback && `, quick fallback ${verdict.fallback} ${verdict.fallback_name}`}, for{" "}
            {kinds.get(verdict.kind)?.toLowerCase()}
            <span className="float-right text-note">
              {verdict.author && `${verdict.author}, `}
              {index === 0 ? "in force since" : "replaced, from"} {day(verdict.created_at)}
            </span>
            <p className="mt-0.5 whitespace-pre-line">{verdict.reasons}</p>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** The decision: the pick, the quick fallback, the reasons. Writing again replaces it and keeps the old one. */
export function VerdictPage({ trial }: { trial: Trial }) {
  const remarks = useRemarks(trial.id).data ?? [];
  const kinds = useKinds().data ?? [];
  const last = trial.verdicts[0];
  const entries = trial.entries.filter((entry) => entry.state === "done" && entry.control !== "truth");
  // Kept until it is written, so that a glance at Look loses nothing.
  const [draft, setDraft, unsaved] = useDraft<Draft>(`verdict:${trial.id}`, {
    pick: last?.pick ?? null,
    fallback: last?.fallback ?? null,
    kind: last?.kind ?? trial.kind,
    reasons: last?.reasons ?? "",
  });
  const { pick, fallback, kind, reasons } = draft;
  const [author, setAuthor] = useState(() => localStorage.getItem(NICKNAME) ?? "");
  const put = (part: Partial<Draft>) => setDraft((before) => ({ ...before, ...part }));
  const write = useWriteVerdict(trial.id);
  const missing = [!pick && "a pick", !kind && "a kind", !reasons.trim() && "the reasons"].filter(Boolean);
  if (entries.length === 0)
    return (
      <Page title="Verdict">
        <p className="text-soft">There is no finished take to decide on yet.</p>
      </Page>
    );
  const save = () => {
    put({ reasons: reasons.trim() });
    write.mutate({
      kind: kind ?? "",
      pick: pick ?? "",
      fallback,
      reasons: reasons.trim(),
      author,
      view: lastView(trial.id),
    });
    localStorage.setItem(NICKNAME, author);
  };
  return (
    <Page title="Verdict">
      <div className="grid gap-8 lg:grid-cols-2">
        <Choice
          trial={trial}
          name="Pick"
          entries={entries}
          remarks={remarks}
          value={pick}
          onChange={(letter) => put({ pick: letter })}
        />
        <Choice
          trial={trial}
          name="Quick fallback"
          entries={entries}
          remarks={remarks}
          value={fallback}
          none
          onChange={(letter) => put({ fallback: letter })}
        />
      </div>
      <div className="mt-6 grid gap-8 lg:grid-cols-[1fr_18rem]">
        <div>
          <label>
            <span className="mb-1 block font-display text-lg font-semibold">Reasons</span>
            <textarea
              rows={4}
              value={reasons}
              onChange={(event) => put({ reasons: event.target.value })}
              placeholder="What came out right, what broke, where you looked"
              className="w-full rounded-sm border border-line bg-sheet px-3 py-2"
            />
          </label>
          <label className="mt-1 flex items-center gap-2 text-small text-soft">
            Your nickname, if you like
            <input
              value={author}
              maxLength={40}
              onChange={(event) => setAuthor(event.target.value)}
              className={`${FIELD} w-44 text-ink`}
            />
          </label>
        </div>
        <div className="space-y-3">
          <label className="block">
            <span className="mb-1 block font-display text-lg font-semibold">For the kind</span>
            <KindSelect kinds={kinds} value={kind} onChange={(chosen) => put({ kind: chosen })} />
          </label>
          <Button tone="main" disabled={missing.length > 0 || write.isPending} onClick={save}>
            {last ? "Replace the verdict" : "Write the verdict"}
          </Button>
          {pick && trial.beaten[pick] && (
            <p className="border-l-4 border-accent pl-2 text-small" data-testid="beaten">
              {trial.beaten[pick].join(" and ")} {trial.beaten[pick].length > 1 ? "are" : "is"} no worse than{" "}
              {pick} in any figure, better in some, and no slower.
            </p>
          )}
          {missing.length > 0 && <p className="text-small text-soft">Still needed: {missing.join(", ")}.</p>}
          {unsaved && missing.length === 0 && (
            <p className="text-small text-soft">Not written yet; it is kept as a draft in this browser.</p>
          )}
          {write.isSuccess && !unsaved && (
            <p role="status">
              Written. It stands in the{" "}
              <Link to="/playbook" className="underline">
                Playbook
              </Link>
              .
            </p>
          )}
          <Trouble error={write.error} />
        </div>
      </div>
      <History trial={trial} />
    </Page>
  );
}
