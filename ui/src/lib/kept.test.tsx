import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { lastPartId, setLastPartId } from "./lastPart";
import { forgetSeen, wipe } from "./wipe";

const held = new Map<string, unknown>();
beforeEach(() => {
  localStorage.clear();
  sessionStorage.clear();
  held.clear();
  for (const name of ["seen", "runs", "precache"]) held.set(name, true);
  vi.stubGlobal("caches", { delete: (name: string) => Promise.resolve(held.delete(name)), keys: () => Promise.resolve([...held.keys()]) });
});
afterEach(() => vi.unstubAllGlobals());

describe("what a browser keeps of the workshop", () => {
  it("is forgotten when somebody signs out, but for how light it is", async () => {
    localStorage.setItem("meanbead.theme", "lamp");
    localStorage.setItem("meanbead.person", "Ida");
    setLastPartId(7);
    await wipe();
    expect(localStorage.getItem("meanbead.theme")).toBe("lamp");
    expect(localStorage.getItem("meanbead.person")).toBeNull();
    expect(lastPartId()).toBeNull();
    expect([...held.keys()]).toEqual([]);
  });

  it("and no light is made up where none was chosen", async () => {
    await wipe();
    expect(localStorage).toHaveLength(0);
  });

  it("of answers that were seen goes alone where only these are to go", async () => {
    await forgetSeen();
    expect([...held.keys()]).toEqual(["runs", "precache"]);
  });
});

describe("the part that was looked at last", () => {
  it("is remembered by the tab, and none is none", () => {
    expect(lastPartId()).toBeNull();
    setLastPartId(12);
    expect(lastPartId()).toBe(12);
    sessionStorage.setItem("meanbead.lastPart", "no number");
    expect(lastPartId()).toBeNull();
  });

  it("is none where the tab may keep nothing, and nothing fails", () => {
    const refused = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
      throw new Error("not allowed");
    });
    expect(() => setLastPartId(3)).not.toThrow();
    refused.mockRestore();
    expect(lastPartId()).toBeNull();
  });
});
