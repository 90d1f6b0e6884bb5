import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router/dom";
import "./index.css";
import { applyStoredTheme } from "./lib/theme";
import { router } from "./routes";

applyStoredTheme();

const queries = new QueryClient({
  // Asked for without a connection, too: what was last seen is kept beside the page.
  defaultOptions: { queries: { staleTime: 30_000, retry: 1, refetchOnWindowFocus: true, networkMode: "always" }, mutations: { networkMode: "always" } },
});
const root = document.getElementById("root");
if (root === null) throw new Error("the page has no root element");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
