import { NavLink, Navigate, Route, Routes } from "react-router";
import { useLocked } from "../api/client";
import { useLive } from "../api/live";
import { PlaybookPage } from "../features/playbook/PlaybookPage";
import { PricesPage } from "../features/prices/PricesPage";
import { MethodsPage } from "../features/recipes/MethodsPage";
import { RecipesPage } from "../features/recipes/RecipesPage";
import { ShelfPage } from "../features/shelf/ShelfPage";
import { StoragePage } from "../features/storage/StoragePage";
import { SetupPage } from "../features/trial/SetupPage";
import { TrialPage } from "../features/trial/TrialPage";
import { TrialsPage } from "../features/trial/TrialsPage";
import { ButtonLink, Empty, Page } from "../ui/parts";
import { KeyPage } from "./KeyPage";
import { RunDock } from "./RunDock";

const PLACES = [
  ["/shelf", "Shelf"],
  ["/trials", "Trials"],
  ["/recipes", "Recipes"],
  ["/methods", "Methods"],
  ["/playbook", "Playbook"],
] as const;

function TopBar() {
  return (
    <header className="flex shrink-0 items-center gap-7 border-b border-line bg-sheet px-6">
      <NavLink to="/shelf" className="flex items-center gap-2 py-2 font-display text-lg font-semibold">
        <img src="/assets/mark.svg" alt="" className="size-6" />
        Mistline
      </NavLink>
      <nav aria-label="Main" className="flex gap-5">
        {PLACES.map(([to, name]) => (
          <NavLink
            key={to}
            to={to}
            className={({ isActive }) =>
              `border-b-2 py-2.5 ${isActive ? "border-accent font-semibold" : "border-transparent text-soft hover:text-ink"}`
            }
          >
            {name}
          </NavLink>
        ))}
      </nav>
    </header>
  );
}

function Lost() {
  return (
    <Page title="Nothing here">
      <Empty title="This address leads nowhere">
        <ButtonLink to="/shelf">Go to the Shelf</ButtonLink>
      </Empty>
    </Page>
  );
}

export function App() {
  useLive();
  const locked = useLocked(({ locked }) => locked);
  if (locked) return <KeyPage />;
  return (
    <div className="flex h-full flex-col">
      <TopBar />
      {/* Hidden texts are placed by their nearest box: without one of its own a page would grow behind its scroller. */}
      <main className="relative min-h-0 flex-1 overflow-y-auto">
        <Routes>
          <Route path="/" element={<Navigate to="/shelf" replace />} />
          <Route path="/shelf" element={<ShelfPage />} />
          <Route path="/trials" element={<TrialsPage />} />
          <Route path="/trials/new" element={<SetupPage />} />
          <Route path="/trials/:id/*" element={<TrialPage />} />
          <Route path="/recipes" element={<RecipesPage />} />
          <Route path="/methods" element={<MethodsPage />} />
          <Route path="/prices" element={<PricesPage />} />
          <Route path="/storage" element={<StoragePage />} />
          <Route path="/playbook" element={<PlaybookPage />} />
          <Route path="*" element={<Lost />} />
        </Routes>
      </main>
      <RunDock />
    </div>
  );
}
