import { act, renderHook } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { RecipeColumn, SearchStart } from "../../api/client";
import { useAsking } from "./asking";

const column = { id: 3, version: 4, part_digest: "p", inputs: "i" } as unknown as RecipeColumn;
const start = { limits: { grams: 40 } } as unknown as SearchStart;

const ask = (of = column, from = start) => renderHook(() => useAsking(of, from)).result;

beforeEach(() => sessionStorage.clear());

describe("what is asked of a search", () => {
  it("begins as usual, and says when it is not", () => {
    const asking = ask();
    expect([asking.current.limits, asking.current.off, asking.current.changed]).toEqual([{ grams: 40 }, [], false]);
    act(() => asking.current.change({ off: ["walls"], typed: { nozzle: "0.6" } }));
    expect([asking.current.off, asking.current.typed, asking.current.changed]).toEqual([["walls"], { nozzle: "0.6" }, true]);
    act(() => asking.current.asUsual());
    expect(asking.current.changed).toBe(false);
  });

  it("outlives a reload of the tab", () => {
    const asking = ask();
    act(() => asking.current.change({ typed: { walls: "2; 3" } }));
    expect(ask().current.typed).toEqual({ walls: "2; 3" });
  });

  it("goes with the column as it was: another version, or another usual, begins anew", () => {
    const asking = ask();
    act(() => asking.current.change({ limits: { grams: 10 } as SearchStart["limits"] }));
    expect(ask({ ...column, version: 5 }).current.limits).toEqual({ grams: 40 });
    expect(ask(column, { limits: { grams: 60 } } as unknown as SearchStart).current.limits).toEqual({ grams: 60 });
    expect(ask({ ...column, id: 9 }).current.changed).toBe(false);
  });

  it("begins as usual where what was kept is damaged, and works where the tab keeps nothing", () => {
    sessionStorage.setItem("meanbead.asking.3", "{half");
    expect(ask().current.changed).toBe(false);
    const refused = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
      throw new Error("full");
    });
    const asking = ask();
    act(() => asking.current.change({ off: ["spool"] }));
    expect(asking.current.off).toEqual(["spool"]);
    refused.mockRestore();
  });
});
