import type { InfiniteData, QueryClient, QueryKey } from "@tanstack/react-query";
import type { Part, RecipeColumn, Shelf } from "./client";
import { dayKeys } from "./dayKeys";
import { printKeys } from "./printKeys";
import { keys } from "./queries";
import { runKeys } from "./runs";

/** A row that somebody has changed; `of` is the row that it belongs to. A table of "*": anything may have changed. */
export interface Change {
  table: string;
  id: number;
  version: number;
  of: string | null;
}

const SHELF = { machines: "machines", nozzles: "nozzles", materials: "materials", spools: "spools", purposes: "purposes" } as const;

/** What the board is made of. */
const DAY = new Set(["plates", "queue_items", "hours_exceptions", "day_plans"]);

/** What has to be read anew after changes: query keys, and parts whose sheet has changed. What is known in that version already is not. */
export interface Stale {
  queries: QueryKey[];
  sheets: Set<number>;
  shelf: boolean;
  everything: boolean;
}

export function staleAfter(changes: readonly Change[], queries: QueryClient): Stale {
  const stale: Stale = { queries: [], sheets: new Set(), shelf: false, everything: false };
  const known = new Map<string, QueryKey>();
  const add = (key: QueryKey) => known.set(JSON.stringify(key), key);
  for (const change of changes) {
    const newer = (row: { version: number } | undefined) => row === undefined || row.version < change.version;
    const of = Number(change.of);
    if (change.table === "*") stale.everything = true;
    else if (change.table === "parts") {
      const listed = listedParts(queries).find((one) => one.id === change.id);
      const opened = queries.getQueryData<Part>(keys.part(change.id));
      if (opened !== undefined && newer(opened)) {
        add(keys.part(change.id));
        stale.sheets.add(change.id);
      }
      if (newer(listed)) add(keys.parts);
    } else if (change.table === "recipes") {
      const column = queries.getQueryData<RecipeColumn[]>(keys.columns(of))?.find((one) => one.id === change.id);
      if (newer(column)) {
        stale.sheets.add(of);
        add(keys.parts);
      }
    } else if (change.table === "house_recipes") add(keys.houses);
    else if (change.table === "house") {
      if (newer(queries.getQueryData<{ version: number }>(keys.houseRules))) {
        add(keys.houseRules);
        stale.shelf = true;
      }
    } else if (change.table in SHELF) {
      const rows = queries.getQueryData<Shelf>(keys.shelf)?.[SHELF[change.table as keyof typeof SHELF]] as { id: number; version: number }[] | undefined;
      if (newer(rows?.find((one) => one.id === change.id))) stale.shelf = true;
    } else if (change.table === "flow_tests" || change.table === "flow_points") {
      add(keys.flowTests);
      add(keys.flowTest(change.table === "flow_tests" ? change.id : of));
    } else if (change.table === "test_pieces") add(keys.testPieces);
    else if (change.table === "runs" || change.table === "run_photos") {
      add(runKeys.all);
      if (change.table === "runs") {
        add(keys.parts);
        // What they teach shows in every interval.
        add(["learnt"]);
        add(["estimate"]);
        add(["experiments"]);
        add(dayKeys.all);
      }
    } else if (change.table === "journal") {
      add(runKeys.journal);
      add(["learnt"]);
      add(["estimate"]);
    } else if (change.table === "experiments" || change.table === "comparisons" || change.table === "measurements") add(["experiments"]);
    else if (DAY.has(change.table)) add(dayKeys.all);
    else if (change.table === "prints") {
      add(printKeys.all);
      add(dayKeys.board);
    }
  }
  stale.queries = [...known.values()];
  return stale;
}

/** Parts that some list shows, whatever it was searched for. */
function listedParts(queries: QueryClient): Part[] {
  const lists = queries.getQueriesData<InfiniteData<{ parts: Part[] }>>({ queryKey: keys.parts });
  return lists.flatMap(([, list]) => (list !== undefined && "pages" in list ? list.pages.flatMap((page) => page.parts) : []));
}
