import { Trans } from "@lingui/react/macro";
import { createBrowserRouter, type RouteObject } from "react-router";
import { App } from "./App";
import { BrokenPage } from "./pages/BrokenPage";
import { LostPage } from "./pages/LostPage";
import { PartsPage } from "./pages/PartsPage";

type Loaded = Promise<{ default: () => React.ReactNode }>;

/**
 * A page that is fetched when it is first gone to. The router fetches it before it shows it, and a page together with
 * its layout: React would hold back each that comes in late by a third of a second.
 */
const fetched = (page: () => Loaded) => ({ lazy: async () => ({ Component: (await page()).default }) });

const history = (kind: "column" | "house"): Pick<RouteObject, "lazy"> => ({
  lazy: async () => {
    const { default: RecipeHistoryPage } = await import("./pages/RecipeHistoryPage");
    return { Component: () => <RecipeHistoryPage kind={kind} /> };
  },
});

/** Pages for somebody who is not inside yet. */
const outside = (page: () => Loaded): RouteObject => ({ ...fetched(page), errorElement: <BrokenPage />, hydrateFallbackElement: <p className="p-10 text-quiet"><Trans>One moment …</Trans></p> });

export const router = createBrowserRouter([
  { path: "/owner", ...outside(() => import("./pages/OwnerPage")) },
  { path: "/join", ...outside(() => import("./pages/JoinPage")) },
  { path: "/trust", ...outside(() => import("./pages/TrustPage")) },
  {
    element: <App />,
    errorElement: <BrokenPage />,
    hydrateFallbackElement: <p className="p-10 text-quiet"><Trans>One moment …</Trans></p>,
    children: [
      { path: "/", element: <PartsPage /> },
      {
        path: "/parts/:partId",
        ...fetched(() => import("./pages/PartLayout")),
        children: [
          { index: true, ...fetched(() => import("./pages/BenchPage")) },
          { path: "ready", ...fetched(() => import("./pages/ReadyPage")) },
          { path: "tradeoff", ...fetched(() => import("./pages/TradeoffPage")) },
          { path: "layers", ...fetched(() => import("./pages/LayersPage")) },
          { path: "send", ...fetched(() => import("./pages/SendPage")) },
          { path: "runs", ...fetched(() => import("./pages/PartRunsPage")) },
        ],
      },
      { path: "/recipes", ...fetched(() => import("./pages/HouseRecipesPage")) },
      { path: "/recipes/:recipeId/settings", ...fetched(() => import("./pages/SettingsSheetPage")) },
      { path: "/recipes/:recipeId/comments", ...fetched(() => import("./pages/CommentsPage")) },
      { path: "/recipes/:recipeId/history", ...history("column") },
      { path: "/recipes/house/:recipeId/history", ...history("house") },
      { path: "/begin", ...fetched(() => import("./pages/BeginPage")) },
      { path: "/guide/:slug?", ...fetched(() => import("./pages/GuidePage")) },
      { path: "/house-rules", ...fetched(() => import("./pages/HouseRulesPage")) },
      { path: "/flow", ...fetched(() => import("./pages/FlowLabPage")) },
      { path: "/flow/compare", ...fetched(() => import("./pages/FlowComparePage")) },
      { path: "/flow/:testId", ...fetched(() => import("./pages/FlowTestPage")) },
      { path: "/flow/:testId/card", ...fetched(() => import("./pages/FlowCardPage")) },
      { path: "/test-pieces", ...fetched(() => import("./pages/TestPiecesPage")) },
      { path: "/log", ...fetched(() => import("./pages/LogPage")) },
      { path: "/log/journal", ...fetched(() => import("./pages/JournalPage")) },
      { path: "/log/faults", ...fetched(() => import("./pages/FaultsPage")) },
      { path: "/log/import", ...fetched(() => import("./pages/ImportRunsPage")) },
      { path: "/log/calibration", ...fetched(() => import("./pages/CalibrationPage")) },
      { path: "/log/machines", ...fetched(() => import("./pages/MachinesPage")) },
      { path: "/log/experiments", ...fetched(() => import("./pages/ExperimentsPage")) },
      { path: "/log/experiments/:experimentId", ...fetched(() => import("./pages/ExperimentPage")) },
      { path: "/log/experiments/:experimentId/compare", ...fetched(() => import("./pages/BlindPage")) },
      { path: "/log/labels", ...fetched(() => import("./pages/LabelsPage")) },
      { path: "/log/:runId", ...fetched(() => import("./pages/RunPage")) },
      { path: "/log/:runId/enter", ...fetched(() => import("./pages/EnterPage")) },
      { path: "/log/:runId/causes", ...fetched(() => import("./pages/CausesPage")) },
      { path: "/log/:runId/chain", ...fetched(() => import("./pages/ChainPage")) },
      { path: "/day", ...fetched(() => import("./pages/BoardPage")) },
      { path: "/day/now", ...fetched(() => import("./pages/NowPage")) },
      { path: "/day/queue", ...fetched(() => import("./pages/QueuePage")) },
      { path: "/day/plates", ...fetched(() => import("./pages/PlatesPage")) },
      { path: "/day/plates/:plateId", ...fetched(() => import("./pages/PlatePage")) },
      { path: "/day/spools", ...fetched(() => import("./pages/SpoolsAheadPage")) },
      { path: "/day/hours", ...fetched(() => import("./pages/DayHoursPage")) },
      { path: "/day/worth", ...fetched(() => import("./pages/WorthPage")) },
      { path: "/day/sheet", ...fetched(() => import("./pages/DaySheetPage")) },
      { path: "/backups", ...fetched(() => import("./pages/BackupsPage")) },
      { path: "/shelf/machines/:machineId/sending", ...fetched(() => import("./pages/SendingPage")) },
      { path: "/shelf", ...fetched(() => import("./pages/ShelfPage")) },
      { path: "/people", ...fetched(() => import("./pages/PeoplePage")) },
      { path: "/account", ...fetched(() => import("./pages/AccountPage")) },
      { path: "/network", ...fetched(() => import("./pages/NetworkPage")) },
      { path: "*", element: <LostPage /> },
    ],
  },
]);
