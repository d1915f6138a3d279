import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./app";
import "./theme.css";

// a browser that says it is offline still reaches a server on its own machine: nothing waits for a network
const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 1000, networkMode: "always" }, mutations: { networkMode: "always" } },
});
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
