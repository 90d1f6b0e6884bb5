import type { InfiniteData, QueryClient, QueryKey } from "@tanstack/react-query";
import type { Part, RecipeColumn, Shelf } from "./client";
import { dayKeys } from "./dayKeys";
import { printKeys } from "./printKeys";
import { keys } from "./queries";
import { runKeys } from "./runs";
import type { ToldTable } from "./told";

/** A row that somebody has changed; `of` is the row that it belongs to. A table of "*": anything may have changed. */
export interface Change {
  table: ToldTable | "*";
  id: number;
  version: number;
  of: string | null;
}

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
  const tools: Tools = { queries, stale, add: (...all) => all.forEach((key) => known.set(JSON.stringify(key), key)) };
  // A server that is newer than the page may tell of a table that the page does not know yet.
  const readers: Partial<Record<string, Reader>> = READ_ANEW;
  for (const change of changes) (readers[change.table] ?? READ_ANEW["*"])(change, tools);
  stale.queries = [...known.values()];
  return stale;
}

interface Tools {
  queries: QueryClient;
  stale: Stale;
  add: (...keys: readonly QueryKey[]) => void;
}

type Reader = (change: Change, tools: Tools) => void;

const isNewer = (change: Change, row: { version: number } | undefined) => row === undefined || row.version < change.version;

const keysOf =
  (...all: readonly QueryKey[]): Reader =>
  (_, { add }) =>
    add(...all);

const shelfRow =
  (kind: "machines" | "nozzles" | "materials" | "spools" | "purposes"): Reader =>
  (change, { queries, stale }) => {
    const rows = queries.getQueryData<Shelf>(keys.shelf)?.[kind] as { id: number; version: number }[] | undefined;
    if (isNewer(change, rows?.find((one) => one.id === change.id))) stale.shelf = true;
  };

/** What a change of each table makes stale: every table that is told of, or this does not compile. */
const READ_ANEW: Record<ToldTable | "*", Reader> = {
  "*": (_, { stale }) => {
    stale.everything = true;
  },
  parts: (change, { queries, stale, add }) => {
    const listed = listedParts(queries).find((one) => one.id === change.id);
    const opened = queries.getQueryData<Part>(keys.part(change.id));
    if (opened !== undefined && isNewer(change, opened)) {
      add(keys.part(change.id));
      stale.sheets.add(change.id);
    }
    if (isNewer(change, listed)) add(keys.parts);
  },
  recipes: (change, { queries, stale, add }) => {
    const of = Number(change.of);
    const column = queries.getQueryData<RecipeColumn[]>(keys.columns(of))?.find((one) => one.id === change.id);
    if (!isNewer(change, column)) return;
    stale.sheets.add(of);
    add(keys.parts);
  },
  house_recipes: keysOf(keys.houses),
  house: (change, { queries, stale, add }) => {
    if (!isNewer(change, queries.getQueryData<{ version: number }>(keys.houseRules))) return;
    add(keys.houseRules);
    stale.shelf = true;
  },
  machines: shelfRow("machines"),
  nozzles: shelfRow("nozzles"),
  materials: shelfRow("materials"),
  spools: shelfRow("spools"),
  purposes: shelfRow("purposes"),
  flow_tests: (change, { add }) => add(keys.flowTests, keys.flowTest(change.id)),
  flow_points: (change, { add }) => add(keys.flowTests, keys.flowTest(Number(change.of))),
  test_pieces: keysOf(keys.testPieces),
  // What runs teach shows in every interval.
  runs: keysOf(runKeys.all, keys.parts, ["learnt"], ["estimate"], ["experiments"], dayKeys.all),
  run_photos: keysOf(runKeys.all),
  journal: keysOf(runKeys.journal, ["learnt"], ["estimate"]),
  experiments: keysOf(["experiments"]),
  comparisons: keysOf(["experiments"]),
  measurements: keysOf(["experiments"]),
  plates: keysOf(dayKeys.all),
  queue_items: keysOf(dayKeys.all),
  hours_exceptions: keysOf(dayKeys.all),
  day_plans: keysOf(dayKeys.all),
  prints: keysOf(printKeys.all, dayKeys.board),
};

/** Parts that some list shows, whatever it was searched for. */
function listedParts(queries: QueryClient): Part[] {
  const lists = queries.getQueriesData<InfiniteData<{ parts: Part[] }>>({ queryKey: keys.parts });
  return lists.flatMap(([, list]) => (list !== undefined && "pages" in list ? list.pages.flatMap((page) => page.parts) : []));
}
