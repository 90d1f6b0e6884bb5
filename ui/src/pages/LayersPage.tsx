import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useSearchParams } from "react-router";
import type { Part, RecipeColumn } from "../api/client";
import { useColumns } from "../api/queries";
import { HeightProfile } from "../features/ledger/HeightProfile";
import { LayersViewer } from "../features/layers/LayersViewer";
import { useStrokesIndex } from "../features/layers/useStrokes";
import { usePartOfPage } from "./PartLayout";

/** The strokes of each layer, of one column or of two in step. */
export default function LayersPage() {
  const part = usePartOfPage();
  const columns = useColumns(part.id);
  if (columns.isLoadingError) return <p className="py-6 text-error">{columns.error.message}</p>;
  if (columns.data === undefined) return <p className="py-10 text-quiet"><Trans>Fetching the recipes …</Trans></p>;
  const usable = columns.data.filter((column) => column.problem == null);
  if (usable.length === 0) {
    return (
      <p className="py-10">
        <Trans>
          There is no recipe to draw.{" "}
          <Link className="underline" to={`/parts/${part.id}`}>
            Add a column on the bench.
          </Link>
        </Trans>
      </p>
    );
  }
  return <Layers part={part} columns={usable} />;
}

function Layers({ part, columns }: { part: Part; columns: RecipeColumn[] }) {
  const [query, setQuery] = useSearchParams();
  const column = columns.find((one) => one.id === Number(query.get("column"))) ?? columns[0];
  const beside = columns.find((one) => one.id === Number(query.get("with")) && one.id !== column?.id);
  const index = useStrokesIndex(column);
  const other = useStrokesIndex(beside);
  const set = (changes: Record<string, string | null>) =>
    setQuery(
      (all) => {
        for (const [key, value] of Object.entries(changes)) {
          if (value === null) all.delete(key);
          else all.set(key, value);
        }
        return all;
      },
      { replace: true },
    );
  const select = "select select-xs w-40 border-rule bg-base-100";
  return (
    <div className="mt-3">
      <div className="flex flex-wrap items-center gap-3 pb-2 text-sm">
        <label>
          <Trans>Recipe</Trans>{" "}
          <select className={select} value={column?.id} onChange={(event) => set({ column: event.target.value })}>
            {columns.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        {column && (
          <Link className="order-last ml-auto underline" to={`/parts/${column.part_id}/send?column=${column.id}`}>
            <Trans>Print this</Trans>
          </Link>
        )}
        {beside && query.get("colour") !== "difference" && (
          <button type="button" className="btn btn-outline btn-xs" onClick={() => set({ colour: "difference" })}>
            <Trans>Show the difference</Trans>
          </button>
        )}
        {columns.length > 1 && (
          <label>
            <Trans>beside</Trans>{" "}
            <select className={select} value={beside?.id ?? ""} onChange={(event) => set({ with: event.target.value || null })}>
              <option value="">{t`none`}</option>
              {columns
                .filter((one) => one.id !== column?.id)
                .map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
            </select>
          </label>
        )}
      </div>
      {index.isError && (
        <p className="py-6 text-error" role="alert">
          {index.error.message}
        </p>
      )}
      {index.isPending && <p className="py-10 text-quiet">{column?.gcode ? t`Replaying every move …` : t`Planning every stroke …`}</p>}
      {column && index.data && (
        <LayersViewer
          key={`${column.id}:${column.version}:${column.part_digest}:${query.get("colour") ?? ""}`}
          column={column}
          index={index.data}
          beside={beside && other.data ? { column: beside, index: other.data } : null}
          from={query}
        >
          {beside && <HeightProfile part={part} columns={[column, beside].filter((one) => !one.gcode)} />}
        </LayersViewer>
      )}
    </div>
  );
}
