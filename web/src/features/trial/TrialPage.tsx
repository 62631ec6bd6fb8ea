import { lazy, Suspense } from "react";
import { Link, NavLink, Navigate, Route, Routes, useLocation, useParams } from "react-router";
import type { Trial } from "../../api/client";
import { problem } from "../../api/live";
import { useSpots } from "../../api/marks";
import { useTrial } from "../../api/queries";
import { ButtonLink, Page, Trouble, Within } from "../../ui/parts";
import { LookPage } from "../look/LookPage";
import { VerdictPage } from "../verdict/VerdictPage";
import { RunPage } from "./RunPage";
import { SetupSummary } from "./SetupSummary";

const ScoresPage = lazy(() => import("../scores/ScoresPage"));

const STEPS = [
  ["setup", "Set up"],
  ["run", "Run"],
  ["look", "Look"],
  ["scores", "Scores"],
  ["verdict", "Verdict"],
] as const;

function Steps({ trial }: { trial: Trial }) {
  const done = trial.entries.filter((entry) => entry.state === "done").length;
  const notes: Record<string, string> = {
    run: `${done}/${trial.entries.length}`,
    verdict: trial.verdicts[0] ? trial.verdicts[0].pick : "",
  };
  return (
    <header className="flex shrink-0 items-center gap-8 border-b border-line bg-paper px-6">
      <h1 className="min-w-0 truncate py-2 text-lg font-semibold" title={trial.name}>
        {trial.name}
      </h1>
      {trial.stands_in_for && (
        <Link
          className="shrink-0 text-small text-accent-deep underline underline-offset-4"
          to={`/trials/${trial.stands_in_for}/scores`}
        >
          It stands in for another
        </Link>
      )}
      <nav aria-label="Trial" className="ml-auto flex shrink-0 gap-1">
        {STEPS.map(([step, name]) => (
          <NavLink
            key={step}
            to={`/trials/${trial.id}/${step}`}
            className={({ isActive }) =>
              `border-b-2 px-3 py-2 ${isActive ? "border-accent font-semibold" : "border-transparent text-soft hover:text-ink"}`
            }
          >
            {name} {notes[step] && <span className="text-note text-soft">{notes[step]}</span>}
          </NavLink>
        ))}
      </nav>
    </header>
  );
}

/** A trial's pages in the order of the work; one can jump at any point. */
export function TrialPage() {
  const { id = "" } = useParams();
  const found = useTrial(id);
  useSpots(id); // asked for at once, not only when a page that shows them is there
  const [trial, error] = [found.data, problem(found)];
  const { search } = useLocation();
  if (error)
    return (
      <Page title="Trial">
        <Trouble error={error}>
          <ButtonLink to="/trials">All trials</ButtonLink>
        </Trouble>
      </Page>
    );
  if (!trial) return <p className="p-6 text-soft">Loading</p>;
  const done = trial.entries.every((entry) => entry.state === "done");
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Steps trial={trial} />
      <div className="relative min-h-0 flex-1 overflow-y-auto">
        <Suspense fallback={<p className="p-6 text-soft">Loading</p>}>
          <Within value={true}>
            <Routes>
              <Route index element={<Navigate to={{ pathname: done ? "look" : "run", search }} replace />} />
              <Route path="setup" element={<SetupSummary trial={trial} />} />
              <Route path="run" element={<RunPage trial={trial} />} />
              <Route path="look" element={<LookPage key={trial.id} trial={trial} />} />
              <Route path="scores" element={<ScoresPage trial={trial} />} />
              <Route path="verdict" element={<VerdictPage key={trial.id} trial={trial} />} />
            </Routes>
          </Within>
        </Suspense>
      </div>
    </div>
  );
}
