import { i18n } from "@lingui/core";
import { I18nProvider } from "@lingui/react";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { TagPage } from "./features/run/TagPage";

// A page of its own, small enough for a phone beside a machine: no router, no cache of queries, the system's own letters.
createRoot(document.getElementById("root") ?? document.body).render(
  <StrictMode>
    <I18nProvider i18n={i18n}>
      <TagPage runId={Number(window.location.pathname.split("/")[2])} />
    </I18nProvider>
  </StrictMode>,
);
