import { t } from "@lingui/core/macro";
import type { RecipeColumn, Shelf } from "../../api/client";
import { Cell } from "./Cell";
import { accepted, chosen, effective, isPick, isShelf, optionsOf, shownValue, typedValue, type Field } from "./fields";
import { moveOf } from "../../lib/keys";
import { MARKED } from "./sheetTypes";
import type { ColumnState } from "./ResultCell";
import { RESULT_GROUP } from "./results";
import { RowHead } from "./RowHead";
import type { CellShared, Draft } from "./sheetTypes";
import { offStep } from "./steps";

interface SheetGroupProps {
  group: string;
  fields: readonly Field[];
  /** Rows of the group that are folded away; null where nothing can be folded. */
  hidden: number;
  foldable: boolean;
  open: boolean;
  onToggle: () => void;
  columns: ColumnState[];
  shelf: Shelf | undefined;
  shared: (row: string, column: number) => CellShared;
  onStep: (column: RecipeColumn, field: Field, direction: number) => void;
  onCommit: (column: RecipeColumn, field: Field, text: string) => Promise<void>;
  onDraft: (draft: Draft | null) => void;
}

/** A group of choices: its rows, one cell a column. */
export function SheetGroup({ group, fields, hidden, foldable, open, onToggle, columns, shelf, shared, onStep, onCommit, onDraft }: SheetGroupProps) {
  const first = columns[0];
  return (
    <tbody>
      <tr>
        <th
          scope="rowgroup"
          className="sticky left-0 overflow-visible whitespace-nowrap px-2 pb-0.5 pt-2 text-left font-serif text-sm font-normal italic text-quiet"
        >
          {group}
          {foldable && <GroupToggle
            group={group}
            hidden={hidden}
            open={open}
            onToggle={onToggle}
          />}
        </th>
        {columns.map(({ column }) => (
          <td key={column.id} className="border-l border-rule" />
        ))}
      </tr>
      {fields.map((field) => (
        <tr key={field.key} className="border-t border-base-300">
          <RowHead label={field.label} unit={field.unit} />
          {columns.map(({ column }) => {
            if (column.gcode && !isShelf(field)) return <NotOfAFile key={column.id} field={field} column={column} {...shared(field.key, column.id)} />;
            const value = effective(column, field);
            return (
              <td key={column.id} role="gridcell" className="h-[27px] border-l border-rule p-0">
                <Cell
                  {...shared(field.key, column.id)}
                  label={`${field.label}${field.unit ? t` in ${field.unit}` : ""}, ${column.name}`}
                  shown={shownValue(value, field, shelf)}
                  open={chosen(column, field) === undefined}
                  differs={first !== undefined && first.column.gcode == null && value !== effective(first.column, field)}
                  note={noteFor(field, column, shelf)}
                  onStep={(direction) => onStep(column, field, direction)}
                  options={isPick(field) ? optionsOf(field, shelf) : undefined}
                  value={isPick(field) ? String(value ?? "") : undefined}
                  onDraft={(text) => onDraft(draftOf(text, field, column))}
                  onCommit={(text) => onCommit(column, field, text)}
                />
              </td>
            );
          })}
        </tr>
      ))}
    </tbody>
  );
}

/** Shows the rest of a group's rows, or folds it away again. */
export function GroupToggle(props: { group: string; hidden: number; open: boolean; onToggle: () => void }) {
  if (props.hidden === 0 && !props.open) return null;
  return (
    <button
      type="button"
      className="btn btn-ghost btn-xs ml-1 px-1 font-sans font-normal not-italic text-quiet"
      aria-expanded={props.open}
      onClick={props.onToggle}
    >
      {props.open ? t`fewer` : t`${props.hidden} more`}
      <span className="sr-only"> {props.group === RESULT_GROUP ? t`results` : t`choices of ${props.group}`}</span>
    </button>
  );
}

interface NotOfAFileProps extends CellShared {
  field: Field;
  column: RecipeColumn;
}

/** A choice in a column that replays a file: the file has made it; shown where its comments tell, by the names that the workshop has matched. */
function NotOfAFile({ field, column, tabIndex, marked, onFocus, onMove, register }: NotOfAFileProps) {
  const said = chosen(column, field);
  const told = said === undefined ? undefined : shownValue(said, field, undefined);
  return (
    <td role="gridcell" className="h-[27px] border-l border-rule p-0">
      <div
        ref={register}
        tabIndex={tabIndex}
        role="note"
        aria-label={`${field.label}, ${column.name}: ${told ?? t`in the file`}`}
        className={`pl-[17px] text-quiet ${marked ? MARKED : ""}`}
        onFocus={onFocus}
        onKeyDown={(event) => {
          const move = moveOf(event);
          if (move === null) return;
          event.preventDefault();
          onMove(move.rows, move.columns, move.extend);
        }}
      >
        {told ?? "·"}
      </div>
    </td>
  );
}

/** A short remark in a cell: what the number means against the bore. */
function noteFor(field: Field, column: RecipeColumn, shelf: Shelf | undefined): string | undefined {
  const decider = column.preview?.decided_by[field.key];
  if (decider !== undefined && chosen(column, field) === undefined) return t`by ${decider}`;
  const bore = column.preview?.bore_mm;
  const value = effective(column, field);
  if (bore === undefined || typeof value !== "number") return undefined;
  const machine = shelf?.machines.find((one) => one.id === column.machine_id);
  if (field.key === "layer_height_mm" && offStep(value, machine)) return t`off step · ${(value / bore).toFixed(2)} d`;
  if (field.key === "layer_height_mm" || field.key === "line_width_mm.outer_wall")
    return `${(value / bore).toFixed(2)} d`;
  if (field.key === "walls") {
    const bead = column.preview?.beads[0];
    return bead && value > 0 ? `${(bead.width_mm + (value - 1) * bead.spacing_mm).toFixed(2)} mm` : undefined;
  }
  return undefined;
}

function draftOf(text: string | null, field: Field, column: RecipeColumn): Draft | null {
  if (text === null || isPick(field)) return null;
  try {
    const value = typedValue(text, field);
    // A number on its way to another one may be out of bounds: no bead to draw of it.
    if (typeof value === "number" && !accepted(value, field)) return null;
    return { column: column.id, field, value };
  } catch {
    return null;
  }
}
