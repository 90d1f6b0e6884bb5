import { QueryClient } from "@tanstack/react-query";
import { describe, expect, it } from "vitest";
import { staleAfter, type Change } from "./changes";
import { keys } from "./queries";

const change = (table: Change["table"], id: number, version: number, of: number | null = null): Change => ({ table, id, version, of: of === null ? null : String(of) });

function workshop() {
  const queries = new QueryClient();
  queries.setQueryData([...keys.parts, "list", ""], { pages: [{ parts: [{ id: 1, version: 3 }] }], pageParams: [0] });
  queries.setQueryData(keys.part(1), { id: 1, version: 3 });
  queries.setQueryData(keys.columns(1), [{ id: 7, version: 5 }]);
  queries.setQueryData(keys.shelf, { machines: [{ id: 2, version: 4 }], nozzles: [], materials: [], spools: [], purposes: [] });
  return queries;
}

describe("what has to be read anew", () => {
  it("is nothing where the change is one's own, known already", () => {
    const stale = staleAfter([change("parts", 1, 3), change("recipes", 7, 5, 1), change("machines", 2, 4)], workshop());
    expect(stale).toEqual({ queries: [], sheets: new Set(), shelf: false, everything: false });
  });

  it("is the sheet of a column that another has changed or added", () => {
    expect(staleAfter([change("recipes", 7, 6, 1)], workshop()).sheets).toEqual(new Set([1]));
    expect(staleAfter([change("recipes", 99, 1, 1)], workshop()).sheets).toEqual(new Set([1]));
  });

  it("is a part that is open, and the list, once each", () => {
    const stale = staleAfter([change("parts", 1, 4), change("parts", 1, 5)], workshop());
    expect(stale.queries).toEqual([keys.part(1), keys.parts]);
    expect(stale.sheets).toEqual(new Set([1]));
    // Another's new part is in the list only.
    expect(staleAfter([change("parts", 8, 1)], workshop()).queries).toEqual([keys.parts]);
  });

  it("is the shelf where a row of it is newer, or new", () => {
    expect(staleAfter([change("machines", 2, 5)], workshop()).shelf).toBe(true);
    expect(staleAfter([change("spools", 1, 1)], workshop()).shelf).toBe(true);
  });

  it("is the day where its queue, hours, plates or plan change, or a run does", () => {
    for (const table of ["queue_items", "hours_exceptions", "plates", "day_plans", "runs"] as const) {
      expect(staleAfter([change(table, 5, 2)], workshop()).queries).toContainEqual(["day"]);
    }
  });

  it("is a flow test of which a strand was entered, and everything after a gap", () => {
    expect(staleAfter([change("flow_points", 4, 1, 9)], workshop()).queries).toContainEqual(keys.flowTest(9));
    expect(staleAfter([change("*", 0, 0)], workshop()).everything).toBe(true);
  });
});
