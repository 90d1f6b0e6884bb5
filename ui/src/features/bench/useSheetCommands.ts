import { t } from "@lingui/core/macro";
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
    const group = t`Columns`;
    const goTo = (row: string) => goToCell({ row });
    const ofColumn: Command[] = column
      ? [
          { name: t`Duplicate ${column.name}`, group, press: "Alt+C", words: t`copy column`, run: () => void actions.duplicate(column.id).catch(failed) },
          { name: t`Remove ${column.name}`, group, press: "Alt+X", words: t`delete column`, run: () => void actions.remove(column).catch(failed) },
          {
            name: t`Choose ${column.name} for this part`,
            group,
            press: "Alt+G",
            run: () => void savePart(queries, history, part.id, { chosen_id: column.id }, t`the recipe of ${part.name}`).catch(failed),
          },
          { name: t`Print ${column.name}: to the machine`, group, press: "Alt+P", words: t`send file`, run: () => void navigate(`/parts/${part.id}/send?column=${column.id}`) },
          { name: t`Layers of ${column.name}`, group, press: "Alt+L", run: () => void navigate(`/parts/${part.id}/layers?column=${column.id}`) },
          { name: t`Report of ${column.name}, as a PDF`, group: t`Part`, press: "Alt+O", words: t`print pdf html`, run: () => void window.open(`/api/parts/${part.id}/report.pdf?recipe_id=${column.id}`, "_blank") },
        ]
      : [];
    return [
      { name: t`New column`, group, press: "Alt+I", words: t`add recipe`, run: () => void actions.add({}).catch(failed) },
      ...ofColumn,
      { name: t`Find a row`, group: t`Rows`, press: "/", run: () => document.querySelector<HTMLInputElement>("[data-find-row]")?.focus() },
      ...RESULTS.map((row) => ({ name: row.label, group: t`Row`, run: () => goTo(row.key) })),
      ...FIELDS.map((field) => ({ name: field.label, group: t`Row · ${field.group}`, run: () => goTo(field.key) })),
      ...columns.filter((one) => one.id !== column?.id).map((one) => ({ name: t`Go to ${one.name}`, group, run: () => goToCell({ column: one.id }) })),
    ];
  }, [actions, column, columns, history, navigate, part, queries, toast]);
  useCommands(commands);
}
