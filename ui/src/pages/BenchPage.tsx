import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useDeferredValue, useEffect, useMemo, useState } from "react";
import type { Estimate, Part, RecipeColumn } from "../api/client";
import { useColumns, useFigures, usePreview, useShelf, type PreviewAsk } from "../api/queries";
import { usePartOfPage } from "./PartLayout";
import { Lower } from "../features/bench/Lower";
import { SidePanel } from "../features/bench/SidePanel";
import { useSheetCommands } from "../features/bench/useSheetCommands";
import { ColumnPanel } from "../features/sheet/ColumnPanel";
import { withValue } from "../features/sheet/fields";
import { NewColumn } from "../features/sheet/NewColumn";
import type { ColumnState } from "../features/sheet/ResultCell";
import { Sheet } from "../features/sheet/Sheet";
import type { Draft, Focus } from "../features/sheet/sheetTypes";
import { useSheet } from "../features/sheet/useSheet";

/** One part: recipes side by side, the next move for the one in focus, and where its time goes. */
export default function BenchPage() {
  const part = usePartOfPage();
  const columns = useColumns(part.id);
  if (columns.isLoadingError) return <p className="py-6 text-error">{columns.error.message}</p>;
  if (columns.data === undefined) return <p className="py-10 text-quiet"><Trans>Fetching the recipes …</Trans></p>;
  return <Bench part={part} columns={columns.data} />;
}

function Bench({ part, columns }: { part: Part; columns: RecipeColumn[] }) {
  const shelf = useShelf();
  const actions = useSheet(part.id);
  const [first] = useState<Focus>({ row: "layer_height_mm", column: part.chosen_id ?? columns[0]?.id ?? 0 });
  const [wanted, setFocus] = useState<Focus>(first);
  const [draft, setDraft] = useState<Draft | null>(null);

  const figures = useFigures(columns);
  const states: ColumnState[] = columns.map((column, index) => ({
    column,
    estimate: figures[index]?.estimate,
    sampled: figures[index]?.sampled ?? false,
    pending: figures[index]?.pending ?? false,
    error: figures[index]?.error ?? null,
  }));

  // The column in focus may have been removed: then the first one stands in.
  const inFocus = columns.find((column) => column.id === wanted.column) ?? columns[0];
  const focus: Focus = { row: wanted.row, column: inFocus?.id ?? 0 };
  // Half-typed numbers are not worth asking about: wait for a short rest.
  const rested = useRested(draft, 120);
  const ask = useMemo<PreviewAsk | null>(() => {
    if (inFocus === undefined || inFocus.gcode) return null;
    const choices =
      rested?.column === inFocus.id ? withValue(inFocus.choices, rested.field, rested.value) : inFocus.choices;
    return {
      machine_id: inFocus.machine_id,
      nozzle_id: inFocus.nozzle_id,
      material_id: inFocus.material_id,
      part_id: part.id,
      choices,
    };
  }, [rested, inFocus, part.id]);
  const preview = usePreview(ask);
  const shown = inFocus?.gcode ? undefined : (preview.data ?? inFocus?.preview ?? undefined);

  const entries = states.flatMap(({ column, estimate }) =>
    estimate === undefined ? [] : [{ name: column.name, column, estimate }],
  );
  // Charts are drawn once the full figures are there, and after the sheet: an edit shows in its cell first.
  const busy = states.some((one) => one.pending);
  const calm = useDeferredValue(useStable(entries, (kept, now) => (busy && kept.length === now.length) || sameEntries(kept, now)));
  const calmColumns = useDeferredValue(columns);
  const state = states.find((one) => one.column.id === focus.column);
  useSheetCommands({ part, columns, column: inFocus, actions });
  return (
    <div>
      <div className="mt-2 grid grid-cols-1 gap-6 lg:grid-cols-[minmax(0,1fr)_360px]">
        <div className="min-w-0">
          <div className="flex flex-wrap items-center gap-x-2 gap-y-1 pb-1.5">
            <NewColumn part={part} first={columns[0]} shelf={shelf.data} actions={actions} />
            {inFocus && <ColumnPanel column={inFocus} />}
          </div>
          {columns.length === 0 ? (
            <p className="border-y border-rule py-8 text-quiet"><Trans>No recipe is left. Undo, or add a new column.</Trans></p>
          ) : (
            <Sheet
              part={part}
              columns={states}
              shelf={shelf.data}
              actions={actions}
              focus={focus}
              onFocus={setFocus}
              onDraft={setDraft}
            />
          )}
          <p className="mt-1 flex flex-wrap gap-x-4 text-sm text-quiet">
            <span>
              <span className="mr-1 inline-block h-3 w-[3px] rounded-full bg-molten" aria-hidden="true" />
              <Trans>differs from the first column</Trans>
            </span>
            <span><Trans>grey: a default that follows from the rest, <em>by house</em> or <em>by purpose</em> where a rule of the workshop decided it · d: the nozzle's bore</Trans></span>
            {columns.some((column) => column.gcode) && <span><Trans>·&nbsp; settled by the replayed file</Trans></span>}
          </p>
        </div>
        <aside
          className="lg:sticky lg:top-2 lg:max-h-[calc(100dvh-1rem)] lg:self-start lg:overflow-y-auto lg:pr-1"
          aria-label={inFocus ? t`About ${inFocus.name}` : t`The column in focus`}
        >
          {inFocus && (
            <SidePanel
              part={part}
              column={inFocus}
              state={state}
              shelf={shelf.data}
              actions={actions}
              focus={focus}
              touched={wanted !== first}
              preview={shown}
              problem={preview.isError && rested ? preview.error.message : null}
            />
          )}
        </aside>
      </div>
      {calm.length > 0 && <Lower part={part} columns={calmColumns} entries={calm} />}
    </div>
  );
}

type Entries = { name: string; column: RecipeColumn; estimate: Estimate }[];

function sameEntries(a: Entries, b: Entries): boolean {
  return a.length === b.length && a.every((one, at) => one.column === b[at]?.column && one.estimate === b[at].estimate);
}

/** A value that stays the very same one while it says the same. */
function useStable<Value>(value: Value, same: (a: Value, b: Value) => boolean): Value {
  const [kept, keep] = useState(value);
  if (kept === value || same(kept, value)) return kept;
  keep(value);
  return value;
}

/** A value once it has not changed for a while; null at once. */
function useRested<Value>(value: Value | null, milliseconds: number): Value | null {
  const [rested, setRested] = useState<Value | null>(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), value === null ? 0 : milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return value === null ? null : rested;
}
