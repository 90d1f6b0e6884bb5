import { Fragment, useCallback, useMemo, useRef, type ReactNode } from "react";
import type { Estimate, RecipeColumn, Shelf } from "../../api/client";
import { ProblemError } from "../../api/client";
import { clock } from "../../lib/format";
import { useToast } from "../../parts/Toasts";
import { Cell } from "./Cell";
import {
  chosen,
  effective,
  FIELDS,
  isPick,
  isShelf,
  optionsOf,
  pickedValue,
  shownFields,
  shownValue,
  typedValue,
  type CellValue,
  type Field,
} from "./fields";
import { useOpenGroups } from "./useOpenGroups";
import { RESULTS, type ResultRow } from "./results";
import type { SheetActions } from "./useSheet";

export interface ColumnState {
  column: RecipeColumn;
  estimate: Estimate | undefined;
  /** True while the estimate shown is an older one. */
  pending: boolean;
  error: string | null;
}

export interface Focus {
  row: string;
  column: number;
}

export interface Draft {
  column: number;
  field: Field;
  value: CellValue | null;
}

interface SheetProps {
  columns: ColumnState[];
  shelf: Shelf | undefined;
  actions: SheetActions;
  focus: Focus;
  onFocus: (focus: Focus) => void;
  onDraft: (draft: Draft | null) => void;
}

/** Recipes side by side: columns are recipes, rows are results and choices. */
export function Sheet({ columns, shelf, actions, focus, onFocus, onDraft }: SheetProps) {
  const cells = useRef(new Map<string, HTMLElement>());
  const toast = useToast();
  const first = columns[0];
  const { opened, toggle } = useOpenGroups();
  const fields = useMemo(() => shownFields(columns.map(({ column }) => column), opened), [columns, opened]);
  const rowKeys = useMemo(
    () => ["name", ...RESULTS.map((row) => row.key), ...fields.map((field) => field.key)],
    [fields],
  );

  const move = useCallback(
    (row: string, column: number, rows: number, steps: number) => {
      const at = columns.findIndex((one) => one.column.id === column);
      const nextColumn = columns[Math.min(columns.length - 1, Math.max(0, at + steps))];
      const nextRow = rowKeys[Math.min(rowKeys.length - 1, Math.max(0, rowKeys.indexOf(row) + rows))];
      if (nextColumn === undefined || nextRow === undefined) return;
      const key = `${nextRow}:${nextColumn.column.id}`;
      const target = cells.current.get(key);
      if (target) target.focus();
      // The cell itself is leaving its editor just now; its button is there after this turn.
      else setTimeout(() => cells.current.get(key)?.focus(), 0);
    },
    [columns, rowKeys],
  );

  const shared = (row: string, column: number) => ({
    tabIndex: focus.row === row && focus.column === column ? 0 : -1,
    onFocus: () => onFocus({ row, column }),
    onMove: (rows: number, steps: number) => move(row, column, rows, steps),
    register: (element: HTMLElement | null) => {
      if (element) cells.current.set(`${row}:${column}`, element);
      else cells.current.delete(`${row}:${column}`);
    },
  });

  const report = (error: unknown) =>
    toast(error instanceof Error ? error.message : "It could not be done.", { tone: "error" });

  const commit = async (state: RecipeColumn, field: Field, text: string) => {
    const label = `${field.label.toLowerCase()} in ${state.name}`;
    try {
      const value = isPick(field) ? pickedValue(text, field) : typedValue(text, field);
      await actions.edit({ recipe: state.id, key: field.key, value }, label);
    } catch (error) {
      if (error instanceof ProblemError) throw new Error(error.about(field.key) ?? error.message, { cause: error });
      throw error;
    }
  };

  const groups = [...new Set(FIELDS.map((field) => field.group))];
  return (
    <div className="overflow-x-auto border-b border-rule" data-testid="sheet">
      <table
        role="grid"
        aria-label="Recipes side by side"
        className="w-full table-fixed border-collapse text-[0.95rem] leading-tight"
        style={{ minWidth: `${7.5 + 9.5 * columns.length}rem` }}
      >
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
                    onClick={() => void actions.duplicate(column.id).catch(report)}
                    aria-label={`Duplicate ${column.name}`}
                  >
                    Duplicate
                  </button>
                  <button
                    type="button"
                    className="btn btn-ghost btn-xs px-1 font-normal text-quiet"
                    onClick={() => void actions.remove(column).catch(report)}
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
        <tbody>
          {RESULTS.map((row) => (
            <tr key={row.key} className={row.main ? "" : "border-t border-base-300"}>
              <RowHead label={row.label} unit={row.unit} />
              {columns.map((state) => (
                <td key={state.column.id} role="gridcell" className="border-l border-rule p-0">
                  <ResultCell state={state} row={row} first={first} {...shared(row.key, state.column.id)} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
        {groups.map((group) => (
          <tbody key={group}>
            <tr>
              <th
                scope="rowgroup"
                className="sticky left-0 bg-base-100 px-2 pb-0.5 pt-2 text-left font-serif text-sm font-normal italic text-quiet"
              >
                {group}
                <GroupToggle
                  group={group}
                  hidden={FIELDS.filter((field) => field.group === group && !fields.includes(field)).length}
                  open={opened.has(group)}
                  onToggle={() => toggle(group)}
                />
              </th>
              {columns.map(({ column }) => (
                <td key={column.id} className="border-l border-rule" />
              ))}
            </tr>
            {fields.filter((field) => field.group === group).map((field) => (
              <tr key={field.key} className="border-t border-base-300">
                <RowHead label={field.label} unit={field.unit} />
                {columns.map(({ column }) => {
                  if (column.gcode && !isShelf(field)) return <NotOfAFile key={column.id} field={field} column={column} {...shared(field.key, column.id)} />;
                  const value = effective(column, field);
                  return (
                    <td key={column.id} role="gridcell" className="h-[27px] border-l border-rule p-0">
                      <Cell
                        {...shared(field.key, column.id)}
                        label={`${field.label}${field.unit ? ` in ${field.unit}` : ""}, ${column.name}`}
                        shown={shownValue(value, field, shelf)}
                        open={chosen(column, field) === undefined}
                        differs={first !== undefined && first.column.gcode == null && value !== effective(first.column, field)}
                        note={noteFor(field, column)}
                        options={isPick(field) ? optionsOf(field, shelf) : undefined}
                        value={isPick(field) ? String(value) : undefined}
                        onDraft={(text) => onDraft(draftOf(text, field, column))}
                        onCommit={(text) => commit(column, field, text)}
                      />
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        ))}
      </table>
    </div>
  );
}

/** Shows the rest of a group's rows, or folds it away again. */
function GroupToggle(props: { group: string; hidden: number; open: boolean; onToggle: () => void }) {
  if (props.hidden === 0 && !props.open) return null;
  return (
    <button
      type="button"
      className="btn btn-ghost btn-xs ml-1 px-1 font-sans font-normal not-italic text-quiet"
      aria-expanded={props.open}
      onClick={props.onToggle}
    >
      {props.open ? "fewer" : `${props.hidden} more`}
      <span className="sr-only"> choices of {props.group}</span>
    </button>
  );
}

interface NotOfAFileProps {
  field: Field;
  column: RecipeColumn;
  tabIndex: number;
  onFocus: () => void;
  onMove: (rows: number, columns: number) => void;
  register: (element: HTMLElement | null) => void;
}

/** A choice in a column that replays a file: the file has made it, and does not tell. */
function NotOfAFile({ field, column, tabIndex, onFocus, onMove, register }: NotOfAFileProps) {
  return (
    <td role="gridcell" className="h-[27px] border-l border-rule p-0">
      <div
        ref={register}
        tabIndex={tabIndex}
        role="note"
        aria-label={`${field.label}, ${column.name}: in the file`}
        className="pl-[17px] text-quiet"
        onFocus={onFocus}
        onKeyDown={(event) => {
          const step = STEPS[event.key];
          if (step === undefined) return;
          event.preventDefault();
          onMove(step[0], step[1]);
        }}
      >
        ·
      </div>
    </td>
  );
}

const STEPS: Record<string, readonly [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

function RowHead({ label, unit }: { label: string; unit: string }) {
  return (
    <th
      scope="row"
      className="sticky left-0 z-10 bg-base-100 px-2 py-0.5 text-left font-normal"
    >
      {label} {unit && <span className="whitespace-nowrap text-xs text-quiet">{unit}</span>}
    </th>
  );
}

/** A short remark in a cell: what the number means against the bore. */
function noteFor(field: Field, column: RecipeColumn): string | undefined {
  const bore = column.preview?.bore_mm;
  const value = effective(column, field);
  if (bore === undefined || typeof value !== "number") return undefined;
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
    return { column: column.id, field, value: typedValue(text, field) };
  } catch {
    return null;
  }
}

interface ResultCellProps {
  state: ColumnState;
  row: ResultRow;
  first: ColumnState | undefined;
  tabIndex: number;
  onFocus: () => void;
  onMove: (rows: number, columns: number) => void;
  register: (element: HTMLElement | null) => void;
}

function ResultCell({ state, row, first, tabIndex, onFocus, onMove, register }: ResultCellProps) {
  const { estimate, pending, column } = state;
  let content: ReactNode;
  if (state.error !== null && estimate === undefined) {
    content = row.key === "print_time" ? <span className="text-sm text-error">{state.error}</span> : "–";
  } else if (estimate === undefined) {
    content = <span className="text-sm text-quiet">{row.main ? "computing …" : "…"}</span>;
  } else {
    const isFirst = first?.column.id === column.id;
    const difference =
      row.key === "flow" || (!isFirst && first?.estimate) ? row.difference(estimate, first?.estimate ?? estimate) : "";
    content = (
      <Fragment>
        <span className={row.main ? "font-serif text-2xl leading-none" : ""}>{row.show(estimate)}</span>
        {difference && <span className="ml-auto whitespace-pre text-sm text-molten">{difference}</span>}
      </Fragment>
    );
  }
  return (
    <div
      ref={register}
      tabIndex={tabIndex}
      data-testid={`${row.key}:${column.id}`}
      aria-busy={pending}
      aria-label={`${row.label}, ${column.name}: ${estimate ? row.show(estimate) : "not known yet"}`}
      role="note"
      className={`flex flex-wrap items-baseline gap-x-2 pl-[17px] pr-2 ${row.main ? "py-1" : "py-0.5"} ${pending ? "opacity-50" : ""}`}
      onFocus={onFocus}
      onKeyDown={(event) => {
        const step = STEPS[event.key];
        if (step === undefined) return;
        event.preventDefault();
        onMove(step[0], step[1]);
      }}
      title={estimate && row.key === "print_time" ? `${clock(estimate.interval.low_s)} to ${clock(estimate.interval.high_s)}` : undefined}
    >
      {content}
    </div>
  );
}
