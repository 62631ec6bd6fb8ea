import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./app/App";
import "./app/styles.css";

const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 5_000 } } });

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
