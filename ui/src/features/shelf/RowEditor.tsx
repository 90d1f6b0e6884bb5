import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type ReactNode } from "react";
import type { Shelf } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { currencyUnit } from "../../lib/format";
import { Figure } from "./Figure";
import { sourcePath, type KindInfo, type ShelfField, type ShelfRow } from "./shelfKinds";
import { valueAt, withValueAt, type FieldValue } from "./tree";
import type { Provenance } from "./useFigure";
import type { Body, ShelfRows } from "./useShelfRows";

interface RowEditorProps {
  kind: KindInfo;
  row: ShelfRow;
  shelf: Shelf;
  rows: ShelfRows;
  /** Show another row, such as a copy that was just made. */
  onPick: (id: number) => void;
  /** What this kind has beyond its figures, above and below them. */
  above?: ReactNode;
  below?: ReactNode;
}

/** One row of the shelf: its name, what can be done with it, and every figure typed over in place. */
export function RowEditor({ kind, row, rows, onPick, above, below }: RowEditorProps) {
  const toast = useToast();
  const [all, setAll] = useState(false);
  const fields = kind.fields.filter((field) => (field.when as ((row: ShelfRow) => boolean) | undefined)?.(row) ?? true);
  const hidden = fields.filter((field) => !field.everyday).length;
  const shown = fields.filter((field) => field.everyday || all);
  const groups = [...new Set(shown.map((field) => field.group))];
  const hotEnd = fields.find((field) => field.path[1] === "hotend")?.group;
  const failed = (error: unknown) => toast(error instanceof Error ? error.message : t`It could not be done.`, { tone: "error" });
  const { columns = 0, parts = 0 } = row.used_in;

  const save = (field: ShelfField) => (value: FieldValue) =>
    rows.edit(row, (now) => changeOf(kind, now, field, value), (before, now) => backOf(kind, before, now, field), t`${field.label.toLowerCase()} of ${row.name}`);
  const mark = (field: ShelfField, source: Provenance) => {
    const path = sourcePath(kind, field);
    rows
      .edit(
        row,
        () => ({ sources: { [path]: source } }),
        (before) => ({ sources: { [path]: before.sources[path] ?? "typical" } }),
        t`where ${field.label.toLowerCase()} of ${row.name} comes from`,
      )
      .catch(failed);
  };
  return (
    <article className="min-w-0 rounded-box border border-rule p-4" aria-label={row.name}>
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <NameField key={row.name} row={row} save={(name) => rows.edit(row, () => ({ name }), (before) => ({ name: before.name }), t`the name of ${row.name}`).catch(failed)} />
        <p className="text-sm text-quiet">
          {columns > 0 ? t`decides ${plural(columns, { one: "# column", other: "# columns" })} on ${plural(parts, { one: "# part", other: "# parts" })}: a change has them estimated anew` : t`no column uses it yet`}
        </p>
        <span className="ml-auto flex gap-1">
          <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => void rows.add(copyOf(kind, row), `the copy of ${row.name}`).then(onPick).catch(failed)}>
            <Trans>Duplicate</Trans>
          </button>
          <a className="btn btn-ghost btn-xs font-normal" href={`/api/${kind.key}/${row.id}.json`} download>
            <Trans>Save as a file</Trans>
          </a>
          <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => void rows.remove(row).catch(failed)}>
            <Trans>Remove</Trans>
          </button>
        </span>
      </div>
      {above}
      <div className="mt-3 columns-1 gap-x-10 md:columns-2">
        {groups.map((group) => (
          <section key={group} aria-label={group} className="mb-4 break-inside-avoid">
            <h3 className="font-serif italic text-quiet">{group}</h3>
            {shown
              .filter((field) => field.group === group)
              .map((field) => (
                <Figure
                  key={field.path.join(".")}
                  field={field}
                  unit={field.unit ?? (MONEY.has(field.path.join(".")) ? currencyUnit() : "")}
                  stored={valueAt(row, field.path)}
                  source={sourceOf(kind, row, field)}
                  save={save(field)}
                  onSource={(source) => mark(field, source)}
                />
              ))}
            {group === hotEnd && valueAt(row, ["printer", "hotend", "lining"]) === "ptfe" && (
              <p className="mt-1 text-sm text-warning">
                <Trans>Above about 240 °C a PTFE lining gives off toxic fumes. Swap hot ends and nozzles as the maker says.</Trans>
              </p>
            )}
          </section>
        ))}
      </div>
      {hidden > 0 && (
        <button type="button" className="btn btn-outline btn-xs font-normal" aria-expanded={all} onClick={() => setAll(!all)}>
          {all ? t`Only the everyday figures` : t`All figures, ${hidden} more`}
        </button>
      )}
      {below}
    </article>
  );
}

/** Where a figure comes from; null where that says nothing: words, dates, what is not given, and limits that people set. */
function sourceOf(kind: KindInfo, row: ShelfRow, field: ShelfField): Provenance | null {
  if (field.kind === "text" || field.kind === "date" || kind.key === "purposes") return null;
  if (kind.key === "spools" && field.unit !== "g") return null;
  if (valueAt(row, field.path) == null) return null;
  return row.sources[sourcePath(kind, field)] ?? (kind.key === "spools" || field.path[0] === "wear" ? "set" : "typical");
}

const MONEY = new Set(["material.spool_price", "printer.wear_per_h"]);

/** What to send so that one figure holds a value. */
export function changeOf(kind: KindInfo, row: ShelfRow, field: ShelfField, value: FieldValue): Body {
  const [first = ""] = field.path;
  if (field.path.length === 1) return { [first]: value };
  return { [first]: completed(kind, valueAt(withValueAt(row, field.path, value), [first]), field, value) };
}

/** What brings one figure back on what stands now, with where it came from. */
function backOf(kind: KindInfo, before: ShelfRow, now: ShelfRow, field: ShelfField): Body {
  const source = sourcePath(kind, field);
  const sources = { [source]: before.sources[source] ?? "typical" };
  const [first = ""] = field.path;
  // What it lay in may not have been there before, such as a screw: then that goes.
  const depth = field.path.findIndex((_, at) => valueAt(before, field.path.slice(0, at + 1)) == null);
  const path = depth < 0 ? field.path : field.path.slice(0, depth + 1);
  return { [first]: valueAt(withValueAt(now, path, valueAt(before, path) ?? null), [first]), sources };
}

/** Some values are needed as soon as another is chosen: begin with usual ones. */
function completed(kind: KindInfo, described: unknown, field: ShelfField, value: FieldValue): unknown {
  if (kind.key === "machines") {
    const key = field.path.slice(1).join(".");
    if (key === "corner.law" && value === "junction_deviation" && valueAt(described, ["corner", "deviation_mm"]) == null)
      return withValueAt(described, ["corner", "deviation_mm"], 0.02);
    if (key === "z_screw.lead_mm" && value === null) return withValueAt(described, ["z_screw"], null);
  }
  if (kind.key === "nozzles" && field.path[1] === "shape" && value !== "split_flow") return withValueAt(described, ["channels"], 1);
  if (kind.key === "materials" && field.path[1] === "spool_g" && valueAt(described, ["spool_price"]) == null) return described;
  return described;
}

function copyOf(kind: KindInfo, row: ShelfRow): Body {
  // A spool names its material, also a copied one.
  return kind.key === "spools" ? { copy_of: row.id, name: t`${row.name} copy`, material_id: valueAt(row, ["material_id"]) } : { copy_of: row.id };
}

function NameField({ row, save }: { row: ShelfRow; save: (name: string) => unknown }) {
  const [name, setName] = useState(row.name);
  return (
    <input
      className="w-64 max-w-full border-b border-rule bg-base-100 font-serif text-2xl"
      aria-label={t`Name of ${row.name}`}
      value={name}
      onChange={(event) => setName(event.target.value)}
      onBlur={() => {
        if (name.trim() === "") setName(row.name);
        else if (name.trim() !== row.name) save(name);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setName(row.name);
      }}
    />
  );
}
