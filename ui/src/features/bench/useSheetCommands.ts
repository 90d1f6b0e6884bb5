import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { useNavigate } from "react-router";
import type { Part, RecipeColumn } from "../../api/client";
import { useCommands, type Command } from "../../components/commands";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { savePart } from "../part/savePart";
import { FIELDS } from "../sheet/fields";
import { goToCell } from "../sheet/goTo";
import { RESULTS } from "../sheet/results";
import type { SheetActions } from "../sheet/useSheet";

interface SheetCommands {
  part: Part;
  columns: readonly RecipeColumn[];
  column: RecipeColumn | undefined;
  actions: SheetActions;
}

/** What can be done with the sheet by key or palette: columns, and every row to go to. */
export function useSheetCommands({ part, columns, column, actions }: SheetCommands) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const commands = useMemo<Command[]>(() => {
    const failed = (error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" });
    const group = "Columns";
    const goTo = (row: string) => goToCell({ row });
    const ofColumn: Command[] = column
      ? [
          { name: `Duplicate ${column.name}`, group, press: "Alt+C", words: "copy column", run: () => void actions.duplicate(column.id).catch(failed) },
          { name: `Remove ${column.name}`, group, press: "Alt+X", words: "delete column", run: () => void actions.remove(column).catch(failed) },
          {
            name: `Choose ${column.name} for this part`,
            group,
            press: "Alt+G",
            run: () => void savePart(queries, history, part.id, { chosen_id: column.id }, `the recipe of ${part.name}`).catch(failed),
          },
          { name: `Print ${column.name}: to the machine`, group, press: "Alt+P", words: "send file", run: () => void navigate(`/parts/${part.id}/send?column=${column.id}`) },
          { name: `Layers of ${column.name}`, group, press: "Alt+L", run: () => void navigate(`/parts/${part.id}/layers?column=${column.id}`) },
          { name: `Report of ${column.name}, as a PDF`, group: "Part", press: "Alt+O", words: "print pdf html", run: () => void window.open(`/api/parts/${part.id}/report.pdf?recipe_id=${column.id}`, "_blank") },
        ]
      : [];
    return [
      { name: "New column", group, press: "Alt+I", words: "add recipe", run: () => void actions.add({}).catch(failed) },
      ...ofColumn,
      { name: "Find a row", group: "Rows", press: "/", run: () => document.querySelector<HTMLInputElement>("[data-find-row]")?.focus() },
      ...RESULTS.map((row) => ({ name: row.label, group: "Row", run: () => goTo(row.key) })),
      ...FIELDS.map((field) => ({ name: field.label, group: `Row · ${field.group}`, run: () => goTo(field.key) })),
      ...columns.filter((one) => one.id !== column?.id).map((one) => ({ name: `Go to ${one.name}`, group, run: () => goToCell({ column: one.id }) })),
    ];
  }, [actions, column, columns, history, navigate, part, queries, toast]);
  useCommands(commands);
}
