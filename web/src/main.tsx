import "@fontsource-variable/fraunces";
import "@fontsource-variable/public-sans";
import "./app.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { api } from "./api/client";
import { keys } from "./api/changes";
import { App } from "./shell/App";
import { settleInput } from "./parts/input";

const queries = new QueryClient({
  // The server tells what changed, so nothing needs to be asked again and again.
  defaultOptions: { queries: { staleTime: Infinity, retry: 1, refetchOnWindowFocus: false } },
});

settleInput();
// Known before it is needed.
void queries.prefetchQuery({ queryKey: keys.machine, queryFn: api.machine });

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <App />
      </QueryClientProvider>
    </StrictMode>,
  );
}
