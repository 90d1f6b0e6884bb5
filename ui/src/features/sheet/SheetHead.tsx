import { useQueryClient } from "@tanstack/react-query";
import type { Part } from "../../api/client";
import { useEnding } from "../../api/queries";
import { useHistory } from "../../components/history";
import { savePart } from "../part/savePart";
import { Cell } from "./Cell";
import type { ColumnState } from "./ResultCell";
import type { CellShared, Focus } from "./sheetTypes";
import type { SheetActions } from "./useSheet";

interface SheetHeadProps {
  part: Part;
  columns: ColumnState[];
  focus: Focus;
  actions: SheetActions;
  shared: (row: string, column: number) => CellShared;
  onProblem: (error: unknown) => void;
}

/** The columns' names, and what can be done with each. */
export function SheetHead({ part, columns, focus, actions, shared, onProblem }: SheetHeadProps) {
  const queries = useQueryClient();
  const history = useHistory();
  const chosen = columns.find(({ column }) => column.id === part.chosen_id)?.column.id ?? columns[0]?.column.id;
  return (
    <thead>
      <tr>
        <td className="sticky left-0 z-10 w-[7.5rem] bg-base-100 sm:w-[11.5rem]" />
        {columns.map(({ column, estimate }, index) => (
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
              <button
                type="button"
                className={`btn btn-ghost btn-xs ml-auto px-1 font-normal ${column.id === chosen ? "text-base-content" : "text-quiet"}`}
                aria-pressed={column.id === chosen}
                aria-label={column.id === chosen ? `${column.name} is the chosen recipe` : `Choose ${column.name} for this part`}
                title={column.id === chosen ? "The recipe of this part: the list of parts shows it" : "Make it the recipe of this part"}
                onClick={() => {
                  if (column.id !== part.chosen_id)
                    savePart(queries, history, part.id, { chosen_id: column.id }, `the recipe of ${part.name}`).catch(onProblem);
                }}
              >
                {column.id === chosen ? "◆ chosen" : "◇ choose"}
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
            <Ends whole_time_s={estimate?.whole_time_s} />
          </th>
        ))}
      </tr>
    </thead>
  );
}

/** A quiet fact: that nobody is there when it ends. */
function Ends({ whole_time_s }: { whole_time_s: number | undefined }) {
  const ending = useEnding(whole_time_s);
  if (!ending.data) return null;
  return (
    <p
      className="truncate pb-0.5 pl-[17px] text-xs text-quiet"
      title={`${ending.data} The trade-off shows which recipes end in time. Printing unattended is a fire risk: a smoke alarm, clear surroundings, the maker’s and the insurer’s terms.`}
    >
      {ending.data.replace(/^Started [^,]*, it /, "")}
    </p>
  );
}
