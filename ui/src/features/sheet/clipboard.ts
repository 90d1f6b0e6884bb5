import { t } from "@lingui/core/macro";
import type { Shelf } from "../../api/client";
import type { CellEdit } from "./edits";
import { chosen, effective, FIELDS, isShelf, readValue, shownValue, type Field } from "./fields";
import { RESULTS } from "./results";
import type { ColumnState } from "./ResultCell";
import type { Focus } from "./sheetTypes";

/** A rectangle of the sheet. */
export interface Range {
  rows: string[];
  columns: number[];
}

/** The rectangle between two cells. */
export function rangeOf(from: Focus, to: Focus, rows: readonly string[], columns: readonly number[]): Range {
  const between = <One,>(all: readonly One[], one: One, other: One) => {
    const ends = [all.indexOf(one), all.indexOf(other)];
    return all.slice(Math.max(0, Math.min(...ends)), Math.max(...ends) + 1);
  };
  return { rows: between(rows, from.row, to.row), columns: between(columns, from.column, to.column) };
}

/** Cells as tab-separated text, as spreadsheets take it. */
export function rangeText(range: Range, columns: readonly ColumnState[], shelf: Shelf | undefined): string {
  return range.rows
    .map((row) => range.columns.map((id) => cellText(row, columns.find((one) => one.column.id === id), shelf)).join("\t"))
    .join("\n");
}

/** Whole columns with the names of all rows before them. */
export function columnText(ids: readonly number[], columns: readonly ColumnState[], shelf: Shelf | undefined): string {
  const chosenOnes = ids.map((id) => columns.find((one) => one.column.id === id));
  const lines = [["", ...chosenOnes.map((one) => one?.column.name ?? "")]];
  for (const row of RESULTS) lines.push([rowName(row), ...chosenOnes.map((one) => cellText(row.key, one, shelf))]);
  for (const field of FIELDS) lines.push([rowName(field), ...chosenOnes.map((one) => cellText(field.key, one, shelf))]);
  return lines.map((line) => line.join("\t")).join("\n");
}

function rowName(row: { label: string; unit: string }): string {
  return row.unit ? `${row.label} (${row.unit})` : row.label;
}

function cellText(row: string, state: ColumnState | undefined, shelf: Shelf | undefined): string {
  if (state === undefined) return "";
  if (row === "name") return state.column.name;
  const result = RESULTS.find((one) => one.key === row);
  if (result) return state.estimate ? result.show(state.estimate) : "";
  const field = FIELDS.find((one) => one.key === row);
  if (field === undefined || (state.column.gcode && !isShelf(field))) return "";
  return shownValue(effective(state.column, field), field, shelf);
}

function table(text: string): string[][] {
  return text
    .replace(/\r/g, "")
    .replace(/\n$/, "")
    .split("\n")
    .map((line) => line.split("\t"));
}

/** Edits that a block pasted at a cell makes, from there down and to the right. Throws where a value cannot be. */
export function pastedEdits(
  text: string,
  at: Focus,
  rows: readonly string[],
  columns: readonly ColumnState[],
  shelf: Shelf | undefined,
): CellEdit[] {
  const top = rows.indexOf(at.row);
  const left = columns.findIndex((one) => one.column.id === at.column);
  return table(text).flatMap((line, down) =>
    line.flatMap((cell, right) => {
      const field = FIELDS.find((one) => one.key === rows[top + down]);
      const state = columns[left + right];
      return field && state ? edit(cell, field, state, shelf) : [];
    }),
  );
}

/** Edits that a pasted column makes: lines of a row's name and a value. Rows that are not named stay as they are. */
export function pastedColumn(
  text: string,
  id: number,
  columns: readonly ColumnState[],
  shelf: Shelf | undefined,
): CellEdit[] {
  const state = columns.find((one) => one.column.id === id);
  if (state === undefined) return [];
  const lines = table(text).filter((line) => line.length >= 2);
  if (lines.length === 0) {
    throw new Error(t`A column is pasted as lines of a row's name, a tab and its value. Copy one to see how.`);
  }
  return lines.flatMap(([name = "", value = ""]) => {
    const field = FIELDS.find((one) => rowName(one).toLowerCase() === name.trim().toLowerCase());
    if (field) return edit(value, field, state, shelf);
    return name.trim() === "" && value.trim() !== "" && value.trim() !== state.column.name ? [{ recipe: id, key: "name", value: value.trim() }] : [];
  });
}

function edit(text: string, field: Field, state: ColumnState, shelf: Shelf | undefined): CellEdit[] {
  const { column } = state;
  if (column.gcode && !isShelf(field)) return [];
  // What stands there already is no change; a default pasted onto the same default stays a default.
  if (text.trim() === shownValue(effective(column, field), field, shelf)) return [];
  const value = readValue(text, field, shelf);
  if (value === null && chosen(column, field) === undefined) return [];
  return [{ recipe: column.id, key: field.key, value: isShelf(field) ? Number(value ?? 0) : value }];
}
