import { t } from "@lingui/core/macro";
import type { ClipboardEvent } from "react";
import type { Shelf } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { columnText, pastedColumn, pastedEdits, rangeText, type Range } from "./clipboard";
import type { ColumnState } from "./ResultCell";
import type { Focus } from "./sheetTypes";
import type { SheetActions } from "./useSheet";

interface Clipped {
  columns: ColumnState[];
  shelf: Shelf | undefined;
  actions: SheetActions;
  focus: Focus;
  range: Range;
  rowKeys: readonly string[];
  onProblem: (error: unknown) => void;
}

/** Copying the marked cells, or a whole column from its name; pasting cells or a column. */
export function useClipboard({ columns, shelf, actions, focus, range, rowKeys, onProblem }: Clipped) {
  const toast = useToast();
  const typing = (event: ClipboardEvent) =>
    event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement;
  const copy = (event: ClipboardEvent) => {
    if (typing(event)) return;
    event.preventDefault();
    const whole = focus.row === "name" && range.rows.length === 1;
    const text = whole ? columnText(range.columns, columns, shelf) : rangeText(range, columns, shelf);
    event.clipboardData.setData("text/plain", text);
    toast(whole ? t`The column is on the clipboard.` : t`${range.rows.length * range.columns.length} cells are on the clipboard.`);
  };
  const paste = (event: ClipboardEvent) => {
    if (typing(event)) return;
    event.preventDefault();
    const text = event.clipboardData.getData("text/plain");
    try {
      const edits =
        focus.row === "name"
          ? pastedColumn(text, focus.column, columns, shelf)
          : pastedEdits(text, focus, rowKeys, columns, shelf);
      if (edits.length === 0) toast(t`Nothing in it differs from what is here.`);
      else actions.editMany(edits, t`pasting ${edits.length} cells`).catch(onProblem);
    } catch (error) {
      onProblem(error);
    }
  };
  return { copy, paste };
}
