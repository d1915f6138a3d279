import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Toaster } from "sonner";
import { Problem } from "./api/client";
import { App } from "./app";
import { Door } from "./people/Door";
import { meQuery } from "./people/usePeople";
import "./theme.css";

// a browser that says it is offline still reaches a server on its own machine: nothing waits for a network
const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError: signedOut }),
  mutationCache: new MutationCache({ onError: signedOut }),
  defaultOptions: { queries: { retry: 1, staleTime: 1000, networkMode: "always" }, mutations: { networkMode: "always" } },
});
/** The sign-in is over, or was ended elsewhere: the door is shown, and the page as it was after it. */
function signedOut(problem: Error) {
  const over = problem instanceof Problem && problem.status === 401 && problem.where === "sign-in";
  if (over && queries.getQueryData(meQuery.queryKey)) queries.setQueryData(meQuery.queryKey, null);
}

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Door>
            <App />
          </Door>
          <Toaster
            position="bottom-left"
            duration={8000}
            toastOptions={{
              className: "!bg-paper !text-ink !border-rule !font-sans",
              classNames: { actionButton: "!bg-pine !h-8 !px-3 !font-semibold" },
            }}
          />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
