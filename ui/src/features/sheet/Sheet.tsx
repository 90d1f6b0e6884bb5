import { useCallback, useMemo, useRef, useState, type ClipboardEvent } from "react";
import { ProblemError, type RecipeColumn, type Shelf } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { Cell } from "./Cell";
import { ARROWS, MARKED } from "./keys";
import { ResultCell, type ColumnState } from "./ResultCell";
import { columnText, pastedColumn, pastedEdits, rangeOf, rangeText, type Range } from "./clipboard";
import {
  chosen,
  effective,
  FIELDS,
  foundByName,
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
import { RESULTS } from "./results";
import { nextStep, offStep } from "./steps";
import type { SheetActions } from "./useSheet";

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
  const stepping = useRef(new Map<string, { value: CellValue; over: CellValue | undefined; at: number }>());
  const toast = useToast();
  const first = columns[0];
  const { opened, toggle } = useOpenGroups();
  const [search, setSearch] = useState("");
  const [differing, setDiffering] = useState(false);
  // Where a marked range began; it ends at the cell in focus.
  const [anchor, setAnchor] = useState<Focus | null>(null);
  const fields = useMemo(() => {
    const shown = shownFields(
      columns.map(({ column }) => column),
      { opened, search, differing },
    );
    if (search.trim() === "") return shown;
    return [...shown.filter((field) => foundByName(field, search)), ...shown.filter((field) => !foundByName(field, search))];
  }, [columns, opened, search, differing]);
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

  const range: Range = rangeOf(anchor ?? focus, focus, rowKeys, columns.map(({ column }) => column.id));
  const marked = (row: string, column: number) =>
    anchor !== null && range.rows.includes(row) && range.columns.includes(column);
  const shared = (row: string, column: number) => ({
    tabIndex: focus.row === row && focus.column === column ? 0 : -1,
    marked: marked(row, column),
    onFocus: () => onFocus({ row, column }),
    onMove: (rows: number, steps: number, extend = false) => {
      setAnchor(extend ? (anchor ?? { row, column }) : null);
      move(row, column, rows, steps);
    },
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

  const step = (state: RecipeColumn, field: Field, direction: number) => {
    // Quick presses go on from where the last one will lead, not from what is stored yet.
    const place = `${field.key}:${state.id}`;
    const shown = effective(state, field);
    const last = stepping.current.get(place);
    const unseen = last !== undefined && last.over === shown && moment() - last.at < 1500;
    const from = unseen ? last.value : shown;
    const value = nextStep(field, from, direction, shelf?.machines.find((one) => one.id === state.machine_id));
    if (value === undefined) return;
    stepping.current.set(place, { value, over: shown, at: moment() });
    actions
      .edit({ recipe: state.id, key: field.key, value }, `${field.label.toLowerCase()} in ${state.name}`)
      .catch((error: unknown) => {
        stepping.current.delete(place);
        report(error);
      });
  };

  const typing = (event: ClipboardEvent) =>
    event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement;
  const copy = (event: ClipboardEvent) => {
    if (typing(event)) return;
    event.preventDefault();
    const whole = focus.row === "name" && range.rows.length === 1;
    const text = whole ? columnText(range.columns, columns, shelf) : rangeText(range, columns, shelf);
    event.clipboardData.setData("text/plain", text);
    toast(whole ? "The column is on the clipboard." : `${range.rows.length * range.columns.length} cells are on the clipboard.`);
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
      if (edits.length === 0) toast("Nothing in it differs from what is here.");
      else actions.editMany(edits, `pasting ${edits.length} cells`).catch(report);
    } catch (error) {
      report(error);
    }
  };

  const groups = [...new Set(fields.map((field) => field.group))];
  // Groups without a row to show still say that they have some.
  const listed =
    search.trim() !== "" || differing ? groups : [...new Set(FIELDS.map((field) => field.group))];
  return (
    <>
    <div className="flex flex-wrap items-center gap-3 pb-1 text-sm">
      <label className="input input-xs w-52 border-rule bg-base-100">
        <span className="sr-only">Find a row</span>
        <input
          type="search"
          placeholder="Find a row, such as seam"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Escape") setSearch("");
            const row = fields[0];
            if (event.key !== "Enter" || row === undefined) return;
            event.preventDefault(); // or the cell would take the same key
            cells.current.get(`${row.key}:${focus.column}`)?.focus();
          }}
        />
      </label>
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={differing}
          onChange={(event) => setDiffering(event.target.checked)}
        />
        Only what differs
      </label>
      {fields.length === 0 && <span role="status">No row {search.trim() ? "is called that" : "differs"}.</span>}
    </div>
    <div className="overflow-x-auto border-b border-rule" data-testid="sheet" onCopy={copy} onPaste={paste}>
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
        {listed.map((group) => (
          <tbody key={group}>
            <tr>
              <th
                scope="rowgroup"
                className="sticky left-0 overflow-visible whitespace-nowrap px-2 pb-0.5 pt-2 text-left font-serif text-sm font-normal italic text-quiet"
              >
                {group}
                {search.trim() === "" && !differing && <GroupToggle
                  group={group}
                  hidden={FIELDS.filter((field) => field.group === group && !fields.includes(field)).length}
                  open={opened.has(group)}
                  onToggle={() => toggle(group)}
                />}
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
                        note={noteFor(field, column, shelf)}
                        onStep={(direction) => step(column, field, direction)}
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
    </>
  );
}

/** Now, in milliseconds. */
function moment(): number {
  return performance.now();
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
  marked: boolean;
  onMove: (rows: number, columns: number, extend?: boolean) => void;
  register: (element: HTMLElement | null) => void;
}

/** A choice in a column that replays a file: the file has made it, and does not tell. */
function NotOfAFile({ field, column, tabIndex, marked, onFocus, onMove, register }: NotOfAFileProps) {
  return (
    <td role="gridcell" className="h-[27px] border-l border-rule p-0">
      <div
        ref={register}
        tabIndex={tabIndex}
        role="note"
        aria-label={`${field.label}, ${column.name}: in the file`}
        className={`pl-[17px] text-quiet ${marked ? MARKED : ""}`}
        onFocus={onFocus}
        onKeyDown={(event) => {
          const step = ARROWS[event.key];
          if (step === undefined) return;
          event.preventDefault();
          onMove(step[0], step[1], event.shiftKey);
        }}
      >
        ·
      </div>
    </td>
  );
}

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
function noteFor(field: Field, column: RecipeColumn, shelf: Shelf | undefined): string | undefined {
  const bore = column.preview?.bore_mm;
  const value = effective(column, field);
  if (bore === undefined || typeof value !== "number") return undefined;
  const machine = shelf?.machines.find((one) => one.id === column.machine_id);
  if (field.key === "layer_height_mm" && offStep(value, machine)) return `off step · ${(value / bore).toFixed(2)} d`;
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
