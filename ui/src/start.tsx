import { i18n } from "@lingui/core";
import { I18nProvider } from "@lingui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router/dom";
import { router } from "./routes";

const queries = new QueryClient({
  // Asked for without a connection, too: what was last seen is kept beside the page.
  defaultOptions: { queries: { staleTime: 30_000, retry: 1, refetchOnWindowFocus: true, networkMode: "always" }, mutations: { networkMode: "always" } },
});
createRoot(document.getElementById("root") ?? document.body).render(
  <StrictMode>
    <I18nProvider i18n={i18n}>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </I18nProvider>
  </StrictMode>,
);
