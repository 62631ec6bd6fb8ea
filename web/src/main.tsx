import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Unreachable } from "./api/client";
import { spotsQuery } from "./api/marks";
import { trialQuery } from "./api/queries";
import { App } from "./app/App";
import "./app/styles.css";

// Who cannot be reached is asked again when the line is back: the first event asks for everything.
const retry = (failures: number, error: Error) => !(error instanceof Unreachable) && failures < 1;
const queries = new QueryClient({ defaultOptions: { queries: { retry, staleTime: 5_000 } } });

// What a trial's pages begin with is on its way while the letters come and the page is built.
const [, trial] = /^\/trials\/([\da-f-]{36})(\/|$)/.exec(window.location.pathname) ?? [];
if (trial) {
  void queries.prefetchQuery(trialQuery(trial));
  void queries.prefetchQuery(spotsQuery(trial));
}

// The letters are here before the first page is laid out, so that nothing moves under a pointer afterwards.
const letters = ["Atkinson Hyperlegible Next Variable", "Bricolage Grotesque Variable"];
await Promise.allSettled(letters.map((family) => document.fonts.load(`15px "${family}"`)));

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      {/* Not in a transition: a control that lives in the address would snap back while it waits. */}
      <BrowserRouter useTransitions={false}>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
