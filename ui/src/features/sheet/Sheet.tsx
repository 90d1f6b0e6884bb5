import { t } from "@lingui/core/macro";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { ProblemError, type Part, type RecipeColumn, type Shelf } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { rangeOf, type Range } from "./clipboard";
import { useDifferences } from "../../api/learning";
import { onGoToCell } from "./goTo";
import { focusLater } from "./focusLater";
import { FIELDS, foundByName, isPick, pickedValue, shownFields, typedValue, type Field } from "./fields";
import { ResultCell, type ColumnState } from "./ResultCell";
import { RESULT_GROUP, RESULTS } from "./results";
import { RowHead } from "./RowHead";
import { SheetFilter } from "./SheetFilter";
import { GroupToggle, SheetGroup } from "./SheetGroup";
import { SheetHead } from "./SheetHead";
import { Spoken } from "./Spoken";
import type { CellShared, Draft, Focus } from "./sheetTypes";
import { useClipboard } from "./useClipboard";
import { useOpenGroups } from "./useOpenGroups";
import type { SheetActions } from "./useSheet";
import { useStepping } from "./useStepping";

/** More columns than this make the page as wide as the screen allows. */
const MOST_IN_A_PAGE = 4;

interface SheetProps {
  part: Part;
  columns: ColumnState[];
  shelf: Shelf | undefined;
  actions: SheetActions;
  focus: Focus;
  onFocus: (focus: Focus) => void;
  onDraft: (draft: Draft | null) => void;
}

/** Recipes side by side: columns are recipes, rows are results and choices. */
export function Sheet({ part, columns, shelf, actions, focus, onFocus, onDraft }: SheetProps) {
  const cells = useRef(new Map<string, HTMLElement>());
  const toast = useToast();
  const first = columns[0];
  const apart = useDifferences(columns.filter((one) => one.estimate !== undefined && !one.sampled && !one.pending).map(({ column }) => column));
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
  const results = useMemo(() => RESULTS.filter((row) => row.more !== true || opened.has(RESULT_GROUP) || search.trim() !== ""), [opened, search]);
  const rowKeys = useMemo(
    () => ["name", ...results.map((row) => row.key), ...fields.map((field) => field.key)],
    [fields, results],
  );
  // A row that is gone to by name is unfolded first; its cell is there after the next drawing.
  useEffect(
    () =>
      onGoToCell(({ row, column }) => {
        const to = { row: row ?? focus.row, column: column ?? focus.column };
        const field = FIELDS.find((one) => one.key === to.row);
        if (!rowKeys.includes(to.row)) {
          setSearch("");
          setDiffering(false);
          const group = field?.group ?? RESULT_GROUP;
          if (!opened.has(group) && (field === undefined || !field.everyday)) toggle(group);
        }
        onFocus(to);
        setTimeout(() => cells.current.get(`${to.row}:${to.column}`)?.focus(), 60);
      }),
    [focus, onFocus, opened, rowKeys, toggle],
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
      else focusLater(() => cells.current.get(key));
    },
    [columns, rowKeys],
  );

  const range: Range = rangeOf(anchor ?? focus, focus, rowKeys, columns.map(({ column }) => column.id));
  const marked = (row: string, column: number) =>
    anchor !== null && range.rows.includes(row) && range.columns.includes(column);
  const shared = (row: string, column: number): CellShared => ({
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

  const report = useCallback(
    (error: unknown) => toast(error instanceof Error ? error.message : t`It could not be done.`, { tone: "error" }),
    [toast],
  );
  const step = useStepping(actions, shelf, report);
  const { copy, paste } = useClipboard({ columns, shelf, actions, focus, range, rowKeys, onProblem: report });

  const commit = async (state: RecipeColumn, field: Field, text: string) => {
    const label = t`${field.label.toLowerCase()} in ${state.name}`;
    try {
      const value = isPick(field) ? pickedValue(text, field) : typedValue(text, field);
      await actions.edit({ recipe: state.id, key: field.key, value }, label);
    } catch (error) {
      if (error instanceof ProblemError) throw new Error(error.about(field.key) ?? error.message, { cause: error });
      throw error;
    }
  };

  const groups = [...new Set(fields.map((field) => field.group))];
  // Groups without a row to show still say that they have some.
  const listed =
    search.trim() !== "" || differing ? groups : [...new Set(FIELDS.map((field) => field.group))];
  return (
    <>
    <SheetFilter
      search={search}
      onSearch={setSearch}
      differing={differing}
      onDiffering={setDiffering}
      rows={fields.length}
      onEnter={() => cells.current.get(`${fields[0]?.key ?? ""}:${focus.column}`)?.focus()}
    />
    <Spoken columns={columns} />
    <div data-wide={columns.length > MOST_IN_A_PAGE || undefined} className="overflow-auto border-b border-rule lg:max-h-[max(22rem,calc(100dvh-12.5rem))] lg:scroll-pt-28" data-testid="sheet" onCopy={copy} onPaste={paste}>
      <table
        role="grid"
        aria-label={t`Recipes side by side`}
        className="w-full table-fixed border-collapse text-[0.95rem] leading-tight"
        style={{ minWidth: `${7.5 + 9.5 * columns.length}rem` }}
      >
        <SheetHead
          part={part}
          columns={columns}
          shelf={shelf}
          focus={focus}
          actions={actions}
          shared={shared}
          onProblem={report}
          corner={<GroupToggle group={RESULT_GROUP} hidden={RESULTS.length - results.length} open={opened.has(RESULT_GROUP)} onToggle={() => toggle(RESULT_GROUP)} />}
        />
        <tbody>
          {results.map((row) => (
            <tr key={row.key} className={row.main ? "" : "border-t border-base-300"}>
              <RowHead label={row.label} unit={row.unit} />
              {columns.map((state) => (
                <td key={state.column.id} role="gridcell" className="border-l border-rule p-0">
                  <ResultCell state={state} row={row} shelf={shelf} first={first} apart={apart.get(state.column.id)} {...shared(row.key, state.column.id)} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
        {listed.map((group) => (
          <SheetGroup
            key={group}
            group={group}
            fields={fields.filter((field) => field.group === group)}
            hidden={FIELDS.filter((field) => field.group === group && !fields.includes(field)).length}
            foldable={search.trim() === "" && !differing}
            open={opened.has(group)}
            onToggle={() => toggle(group)}
            columns={columns}
            shelf={shelf}
            shared={shared}
            onStep={step}
            onCommit={commit}
            onDraft={onDraft}
          />
        ))}
      </table>
    </div>
    </>
  );
}
