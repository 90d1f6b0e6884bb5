import { useMutation, useQueries, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import { api, take, type Part, type RecipeColumn } from "../../api/client";
import { estimateQuery, keys, useColumns, usePart, usePreview, useShelf, type PreviewAsk } from "../../api/queries";
import { fixed } from "../../lib/format";
import { useToast } from "../../parts/Toasts";
import { BeadDrawing } from "./BeadDrawing";
import { FIELDS, withValue } from "./fields";
import { Findings } from "./Findings";
import { GcodeButton } from "./GcodeButton";
import { FlowGauge } from "./FlowGauge";
import { Ledger } from "./Ledger";
import { RESULTS } from "./results";
import { Sheet, type ColumnState, type Draft, type Focus } from "./Sheet";
import { useSheet } from "./useSheet";

/** One part: recipes side by side, the bead of the one in focus, and where its time goes. */
export default function BenchPage() {
  const partId = Number(useParams().partId);
  const part = usePart(partId);
  const columns = useColumns(partId);
  useEffect(() => {
    document.title = part.data ? `${part.data.name} · Mean Bead` : "Mean Bead";
  }, [part.data]);
  if (part.isError || columns.isError) {
    return (
      <section className="py-12">
        <h1 className="font-serif text-3xl">This part cannot be shown</h1>
        <p className="mt-2">{(part.error ?? columns.error)?.message}</p>
        <Link to="/" className="mt-2 inline-block underline">
          Back to the list of parts
        </Link>
      </section>
    );
  }
  if (part.data === undefined || columns.data === undefined) {
    return <p className="py-10 text-quiet">Opening the part …</p>;
  }
  return <Bench key={partId} part={part.data} columns={columns.data} />;
}

function Bench({ part, columns }: { part: Part; columns: RecipeColumn[] }) {
  const shelf = useShelf();
  const actions = useSheet(part.id);
  const [wanted, setFocus] = useState<Focus>({ row: "layer_height_mm", column: columns[0]?.id ?? 0 });
  const [draft, setDraft] = useState<Draft | null>(null);

  const answers = useQueries({ queries: columns.map((column) => estimateQuery(column)) });
  const states: ColumnState[] = columns.map((column, index) => {
    const answer = answers[index];
    return {
      column,
      estimate: answer?.data,
      pending: answer !== undefined && answer.fetchStatus === "fetching" && answer.data !== column.estimate,
      error: column.problem ?? answer?.error?.message ?? null,
    };
  });

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
      choices,
    };
  }, [rested, inFocus]);
  const preview = usePreview(ask);
  const shown = inFocus?.gcode ? undefined : (preview.data ?? inFocus?.preview ?? undefined);

  const { undo, redo } = actions.history;
  useEffect(() => {
    const key = (event: globalThis.KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
      if (event.target instanceof HTMLInputElement) return;
      event.preventDefault();
      void (event.shiftKey ? redo() : undo());
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [undo, redo]);

  const entries = states.flatMap(({ column, estimate }) =>
    estimate === undefined ? [] : [{ name: column.name, estimate }],
  );
  const state = states.find((one) => one.column.id === focus.column);
  return (
    <div className="py-4">
      <PartHead part={part} />
      <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[minmax(0,1fr)_340px]">
        <div className="min-w-0">
          <div className="flex flex-wrap items-center gap-2 pb-1">
            <button type="button" className="btn btn-outline btn-xs" onClick={() => void actions.add()}>
              New column
            </button>
            <GcodeButton part={part} onAdded={actions.added} />
            <button
              type="button"
              className="btn btn-outline btn-xs"
              disabled={actions.history.undoLabel === undefined}
              onClick={() => void undo()}
              title={actions.history.undoLabel && `Undo ${actions.history.undoLabel} (Ctrl+Z)`}
            >
              Undo
            </button>
            <button
              type="button"
              className="btn btn-outline btn-xs"
              disabled={actions.history.redoLabel === undefined}
              onClick={() => void redo()}
              title={actions.history.redoLabel && `Do ${actions.history.redoLabel} again (Ctrl+Shift+Z)`}
            >
              Redo
            </button>
            <span className="ml-auto hidden text-sm text-quiet md:inline">
              Click or type to change a cell · Enter keeps · Esc reverts · an empty cell is the default
            </span>
          </div>
          {columns.length === 0 ? (
            <p className="border-y border-rule py-8 text-quiet">No recipe is left. Undo, or add a new column.</p>
          ) : (
            <Sheet
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
              differs from the first column
            </span>
            <span>grey: a default that follows from the rest · d: the nozzle's bore</span>
            {columns.some((column) => column.gcode) && <span>·&nbsp; settled by the replayed file</span>}
          </p>
        </div>
        <aside className="space-y-4 lg:sticky lg:top-3 lg:self-start" aria-label="The column in focus">
          {inFocus && shown && (
            <>
              <div>
                <h2 className="font-serif text-2xl">
                  Bead <span className="text-base text-quiet">of {inFocus.name}</span>
                </h2>
                <BeadDrawing preview={shown} name={inFocus.name} />
                {preview.isError && rested && (
                  <p className="text-sm text-error" role="alert">
                    {preview.error.message}
                  </p>
                )}
              </div>
              <FlowGauge preview={shown} />
            </>
          )}
          <Explanation row={focus.row} state={state} />
        </aside>
      </div>
      {entries.length > 0 && (
        <div className="mt-8 grid grid-cols-1 gap-8 xl:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
          <Ledger entries={entries} />
          <Findings entries={entries} />
        </div>
      )}
    </div>
  );
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

function PartHead({ part }: { part: Part }) {
  const { facts } = part;
  const size = facts.extents_mm;
  return (
    <div className="flex flex-wrap items-center gap-4">
      <img src={part.picture} alt="" width={96} height={72} className="h-16 w-20 object-contain" />
      <div className="min-w-0">
        <p className="text-sm">
          <Link to="/" className="underline">
            Parts
          </Link>
        </p>
        <PartName key={part.version} part={part} />
      </div>
      <p className="text-quiet">
        {fixed(size.x, 1)} × {fixed(size.y, 1)} × {fixed(size.z, 1)} mm · {fixed(facts.volume_mm3 / 1000, 1)} cm³ ·{" "}
        {fixed(facts.footprint_mm2 / 100, 1)} cm² on the bed · {facts.triangles.toLocaleString("en")} triangles
        {facts.mended.length > 0 && <span className="block text-warning">Mended: {facts.mended.join(" ")}</span>}
        {part.note && <span className="block text-base-content">{part.note}</span>}
      </p>
    </div>
  );
}

/** The part's name, as the page's heading; it can be typed over. */
function PartName({ part }: { part: Part }) {
  const queries = useQueryClient();
  const toast = useToast();
  const [text, setText] = useState<string | null>(null);
  const save = useMutation({
    mutationFn: async (name: string) =>
      take(
        await api.PATCH("/api/parts/{part_id}", {
          params: { path: { part_id: part.id } },
          body: { version: part.version, name },
        }),
      ),
    onSuccess: (stored) => queries.setQueryData(keys.part(part.id), stored),
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const commit = () => {
    const name = text?.trim() ?? "";
    if (name !== "" && name !== part.name) save.mutate(name);
    setText(null);
  };
  if (text === null) {
    return (
      <h1 className="font-serif text-3xl leading-tight">
        {part.name}
        <button
          type="button"
          className="btn btn-ghost btn-xs ml-2 align-middle font-sans font-normal text-quiet"
          onClick={() => setText(part.name)}
        >
          Rename
        </button>
      </h1>
    );
  }
  return (
    <input
      className="w-72 border-2 border-molten bg-base-100 px-1 font-serif text-3xl leading-tight outline-none"
      aria-label="Name of the part"
      maxLength={120}
      autoFocus
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setText(null);
      }}
    />
  );
}

/** What the row in focus means, and where its figure comes from. */
function Explanation({ row, state }: { row: string; state: ColumnState | undefined }) {
  const field = FIELDS.find((one) => one.key === row);
  const result = RESULTS.find((one) => one.key === row);
  let text = "";
  if (field) text = field.explain;
  else if (result && state?.estimate) text = result.explain(state.estimate, state.column);
  if (!text) return null;
  return (
    <div className="border-t border-rule pt-2" aria-live="polite">
      <h3 className="font-serif text-lg">{field?.label ?? result?.label}</h3>
      <p className="text-sm">{text}</p>
    </div>
  );
}
