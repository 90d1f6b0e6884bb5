import { describe, expect, it, vi } from "vitest";
import type { RecipeColumn, SetTo } from "../../api/client";
import type { SheetActions } from "../sheet/useSheet";
import { applyBeside, applyHere, asEdits } from "./apply";

const column = { id: 7, name: "Everyday" } as RecipeColumn;
const settings: SetTo[] = [{ key: "walls", value: 3 }, { key: "nozzle_temp_c", value: null }] as SetTo[];

describe("a lever or a remedy", () => {
  it("is edits of its column's cells; null leaves a setting open", () => {
    expect(asEdits(column, settings)).toEqual([
      { recipe: 7, key: "walls", value: 3 },
      { recipe: 7, key: "nozzle_temp_c", value: null },
    ]);
  });

  it("is one step that can be undone, under its own name", async () => {
    const editMany = vi.fn().mockResolvedValue(undefined);
    await applyHere({ editMany } as unknown as SheetActions, column, settings, "One wall more");
    expect(editMany).toHaveBeenCalledExactlyOnceWith(asEdits(column, settings), "One wall more");
  });

  it("or a copy right of the column, with a name that fits", async () => {
    const add = vi.fn().mockResolvedValue(undefined);
    await applyBeside({ add } as unknown as SheetActions, { ...column, name: "E".repeat(118) }, settings, "One wall more");
    expect(add).toHaveBeenCalledOnce();
    const given = add.mock.calls[0]?.[0] as { copy_of: number; name: string; settings: SetTo[] };
    expect(given.copy_of).toBe(7);
    expect(given.name).toHaveLength(120);
    expect(given.settings).toEqual(settings);
    expect(given.settings).not.toBe(settings);
  });
});
