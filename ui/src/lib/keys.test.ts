import { describe, expect, it } from "vitest";
import { cellAct, editorAct, historyAct, moveOf } from "./keys";

const number = { picks: false, steps: true };
const list = { picks: true, steps: false };

describe("a cell that is shown", () => {
  it("moves by arrows, and marks with Shift", () => {
    expect(moveOf({ key: "ArrowLeft" })).toEqual({ rows: 0, columns: -1, extend: false });
    expect(cellAct({ key: "ArrowDown", shiftKey: true }, number)).toEqual({ act: "move", rows: 1, columns: 0, extend: true });
    expect(moveOf({ key: "a" })).toBeNull();
  });

  it("steps with Alt where it has steps", () => {
    expect(cellAct({ key: "ArrowUp", altKey: true }, number)).toEqual({ act: "step", direction: 1 });
    expect(cellAct({ key: "ArrowDown", altKey: true }, number)).toEqual({ act: "step", direction: -1 });
    expect(cellAct({ key: "ArrowUp", altKey: true }, list)).toMatchObject({ act: "move" });
    expect(cellAct({ key: "ArrowLeft", altKey: true }, number)).toMatchObject({ act: "move" });
  });

  it("types characters, but not into a list and not with Ctrl", () => {
    expect(cellAct({ key: "5" }, number)).toEqual({ act: "type", text: "5" });
    expect(cellAct({ key: "Delete" }, number)).toEqual({ act: "type", text: "" });
    expect(cellAct({ key: "5" }, list)).toBeNull();
    expect(cellAct({ key: "Backspace" }, list)).toBeNull();
    expect(cellAct({ key: "c", ctrlKey: true }, number)).toBeNull();
    expect(cellAct({ key: "Escape" }, number)).toBeNull();
    expect(cellAct({ key: "F2" }, list)).toEqual({ act: "edit" });
  });
});

describe("a cell that is edited", () => {
  it("stores and goes on", () => {
    expect(editorAct({ key: "Enter" }, number)).toEqual({ act: "store", rows: 1, columns: 0 });
    expect(editorAct({ key: "Enter", shiftKey: true }, number)).toEqual({ act: "store", rows: -1, columns: 0 });
    expect(editorAct({ key: "Tab" }, list)).toEqual({ act: "store", rows: 0, columns: 1 });
    expect(editorAct({ key: "ArrowUp" }, number)).toEqual({ act: "store", rows: -1, columns: 0 });
  });

  it("leaves arrows to lists, and Shift+Tab to the page", () => {
    expect(editorAct({ key: "ArrowUp" }, list)).toBeNull();
    expect(editorAct({ key: "Tab", shiftKey: true }, number)).toBeNull();
    expect(editorAct({ key: "Escape" }, number)).toEqual({ act: "revert" });
  });
});

it("undoes with Ctrl or Command, and does again with Shift", () => {
  expect(historyAct({ key: "z", ctrlKey: true })).toBe("undo");
  expect(historyAct({ key: "Z", metaKey: true, shiftKey: true })).toBe("redo");
  expect(historyAct({ key: "z" })).toBeNull();
});
