import { Cell } from "./Cell";
import type { ColumnState } from "./ResultCell";
import type { CellShared, Focus } from "./sheetTypes";
import type { SheetActions } from "./useSheet";

interface SheetHeadProps {
  columns: ColumnState[];
  focus: Focus;
  actions: SheetActions;
  shared: (row: string, column: number) => CellShared;
  onProblem: (error: unknown) => void;
}

/** The columns' names, and what can be done with each. */
export function SheetHead({ columns, focus, actions, shared, onProblem }: SheetHeadProps) {
  return (
    <thead>
      <tr>
        <td className="sticky left-0 z-10 w-[7.5rem] bg-base-100 sm:w-[11.5rem]" />
        {columns.map(({ column }, index) => (
          <th
            key={column.id}
            scope="col"
            className={`border-l border-rule p-0 text-left align-bottom font-normal ${
              focus.column === column.id ? "border-t-2 border-t-molten" : "border-t-2 border-t-transparent"
            }`}
          >
            <div className="flex gap-1 px-1 pt-1">
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1 font-normal text-quiet"
                onClick={() => void actions.duplicate(column.id).catch(onProblem)}
                aria-label={`Duplicate ${column.name}`}
              >
                Duplicate
              </button>
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1 font-normal text-quiet"
                onClick={() => void actions.remove(column).catch(onProblem)}
                aria-label={`Remove ${column.name}`}
              >
                Remove
              </button>
            </div>
            {column.gcode && (
              <p className="truncate pl-[17px] text-xs text-quiet" title={column.gcode.file_name}>
                replays {column.gcode.file_name}
              </p>
            )}
            <div className="font-serif text-lg">
              <Cell
                {...shared("name", column.id)}
                label={`Name of recipe ${index + 1}`}
                shown={column.name}
                open={false}
                differs={false}
                onCommit={(text) => {
                  if (text.trim() === "") return Promise.reject(new Error("A recipe needs a name."));
                  return actions.edit({ recipe: column.id, key: "name", value: text }, `the name of ${column.name}`);
                }}
              />
            </div>
          </th>
        ))}
      </tr>
    </thead>
  );
}
