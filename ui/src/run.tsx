import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import "./run.css";
import { TagPage } from "./features/run/TagPage";
import { applyStoredTheme } from "./lib/theme";

// A page of its own, small enough for a phone beside a machine: no router, no cache of queries, the system's own letters.
applyStoredTheme();
const root = document.getElementById("root");
if (root === null) throw new Error("the page has no root element");
createRoot(root).render(
  <StrictMode>
    <TagPage runId={Number(window.location.pathname.split("/")[2])} />
  </StrictMode>,
);
