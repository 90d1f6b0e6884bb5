/** The bench's keys, all in one place: what each means, apart from what is then done. */

/** As much of a keyboard event as tells which key it is. */
export interface Key {
  key: string;
  shiftKey?: boolean;
  altKey?: boolean;
  ctrlKey?: boolean;
  metaKey?: boolean;
}

/** Rows and columns that an arrow key moves by. */
const ARROWS: Record<string, readonly [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

export interface Move {
  rows: number;
  columns: number;
  /** Marks cells on the way. */
  extend: boolean;
}

/** A move between cells: the arrows, with Shift marking. */
export function moveOf(event: Key): Move | null {
  const arrow = ARROWS[event.key];
  return arrow === undefined ? null : { rows: arrow[0], columns: arrow[1], extend: event.shiftKey === true };
}

export type CellAct =
  | ({ act: "move" } & Move)
  | { act: "step"; direction: number }
  | { act: "edit" }
  | { act: "type"; text: string };

/** Keys of the page that would otherwise begin to type into a cell. */
const PAGE_KEYS = ["?", "/"];

/** On a cell that is shown: arrows move, Alt and an arrow step, Enter and F2 edit, Delete empties, a character types. */
export function cellAct(event: Key, cell: { picks: boolean; steps: boolean }): CellAct | null {
  const move = moveOf(event);
  if (move && event.altKey && move.rows !== 0 && cell.steps) return { act: "step", direction: -move.rows };
  if (move) return { act: "move", ...move };
  if (event.key === "Enter" || event.key === "F2") return { act: "edit" };
  if (cell.picks) return null;
  if (event.key === "Delete" || event.key === "Backspace") return { act: "type", text: "" };
  // Signs that no value begins with are keys of the page: help, and finding a row.
  const types = event.key.length === 1 && !PAGE_KEYS.includes(event.key) && !event.ctrlKey && !event.metaKey && !event.altKey;
  return types ? { act: "type", text: event.key } : null;
}

export type EditorAct = { act: "revert" } | { act: "store"; rows: number; columns: number };

/** In a cell that is edited: Escape reverts; Enter, Tab and, where one types, up and down store and go on. */
export function editorAct(event: Key, cell: { picks: boolean }): EditorAct | null {
  if (event.key === "Escape") return { act: "revert" };
  if (event.key === "Enter") return { act: "store", rows: event.shiftKey ? -1 : 1, columns: 0 };
  if (event.key === "Tab" && !event.shiftKey) return { act: "store", rows: 0, columns: 1 };
  if (!cell.picks && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
    return { act: "store", rows: event.key === "ArrowUp" ? -1 : 1, columns: 0 };
  }
  return null;
}

/** Ctrl+Z undoes, with Shift it does again. */
export function historyAct(event: Key): "undo" | "redo" | null {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return null;
  return event.shiftKey ? "redo" : "undo";
}

/** Whether an event is the key that is written so: "Alt+N", "Alt+Shift+1", "Ctrl+K", "?". Ctrl stands for Cmd, too. */
export function presses(event: Key & { code?: string }, written: string): boolean {
  const parts = written.split("+");
  const last = parts.at(-1) ?? "";
  if (parts.length === 1) return event.key === last && !event.ctrlKey && !event.metaKey && !event.altKey;
  const held = (name: string) => parts.slice(0, -1).includes(name);
  if ((event.ctrlKey === true || event.metaKey === true) !== held("Ctrl")) return false;
  if ((event.altKey === true) !== held("Alt") || (event.shiftKey === true) !== held("Shift")) return false;
  // By place on the keyboard, for Alt and Shift change what a key types; by sign where the place is not told.
  const place = /^[A-Z]$/.test(last) ? `Key${last}` : /^[0-9]$/.test(last) ? `Digit${last}` : last;
  return event.code ? event.code === place : event.key.toUpperCase() === last.toUpperCase();
}

/** Whether somebody types there. */
export function isTyping(target: EventTarget | null): boolean {
  if (target instanceof HTMLTextAreaElement || target instanceof HTMLSelectElement) return true;
  return target instanceof HTMLInputElement && !["radio", "checkbox", "range", "button", "submit", "file"].includes(target.type);
}
