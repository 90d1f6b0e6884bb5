import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { Grid, GridFactor, Level, Shelf, Varied } from "../../api/client";
import { isTyped, levelsText, optionsOf, typedLevels } from "./levels";

const MEASURES: readonly [Grid["measure"], string, string][] = [
  ["none", t`nothing: minutes and looks`, ""],
  ["squeeze", t`squeezing: before less after`, "mm"],
  ["break", t`force at break`, "N"],
  ["thickness", t`a thickness`, "mm"],
  ["overhang", t`steepest clean overhang`, "°"],
];

export const USUAL_GRID: Grid = { factors: [], keep_shell: true, keep_skins: true, left_out: [], added: [], pieces: 1, together: true, measure: "none", gauge: 0.1, more_is_better: true, share: 0.8, spots: [] };

/** The unit of what is measured. */
export function measureUnit(grid: Grid): string {
  return MEASURES.find(([key]) => key === grid.measure)?.[2] ?? "";
}

interface GridFormProps {
  grid: Grid;
  factors: readonly Varied[];
  shelf: Shelf | undefined;
  busy: boolean;
  label: string;
  problem: string | null;
  onMake: (grid: Grid) => void;
}

/** What varies, by which levels, what stays equal, and what is measured. */
export function GridForm({ grid, factors, shelf, busy, label, problem, onMake }: GridFormProps) {
  const byKey = new Map(factors.map((factor) => [factor.key, factor]));
  const [rows, setRows] = useState(() => (grid.factors.length > 0 ? grid.factors : [{ key: "height_share", levels: [0.3, 0.45, 0.6] }]).map((factor) => draftOf(factor, byKey)));
  const [said, setSaid] = useState(grid);
  const [spots, setSpots] = useState(grid.spots.join(", "));
  const [wrong, setWrong] = useState<string | null>(null);
  const cells = rows.reduce((count, row) => count * Math.max(1, countOf(row, byKey)), 1);
  const make = () => {
    try {
      const made: GridFactor[] = rows.map((row) => ({ key: row.key, levels: levelsOf(row, byKey) }));
      const keys = new Set(made.map((factor) => factor.key));
      const same = (cell: Record<string, Level>) => Object.keys(cell).length === keys.size && Object.keys(cell).every((key) => keys.has(key));
      setWrong(null);
      onMake({
        ...said,
        factors: made,
        // Cells that were left out or added belong to the factors that they name.
        left_out: said.left_out.filter(same),
        added: said.added.filter(same),
        spots: spots.split(",").map((spot) => spot.trim()).filter((spot) => spot !== ""),
      });
    } catch (error) {
      setWrong(error instanceof Error ? error.message : t`Something is wrong with the levels.`);
    }
  };
  const set = (place: number, change: Partial<Draft>) => setRows((now) => now.map((row, at) => (at === place ? { ...row, ...change } : row)));
  return (
    <form
      className="space-y-3 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        make();
      }}
    >
      {rows.map((row, place) => {
        const factor = byKey.get(row.key);
        return (
          <div key={place} className="grid grid-cols-1 gap-2 sm:grid-cols-[13rem_minmax(0,1fr)_auto]">
            <label className="flex flex-col text-quiet">
              {place === 0 ? t`What varies` : t`and`}
              <select className="select select-sm w-full border-rule text-base-content" value={row.key} onChange={(event) => set(place, { key: event.target.value, text: "", picked: [] })}>
                {factors.map((one) => (
                  <option key={one.key} value={one.key} disabled={one.key !== row.key && rows.some((other) => other.key === one.key)}>
                    {one.label}
                    {one.key.endsWith("_share") ? t`, share of the bore` : one.key.includes(".") ? ` (${one.key.split(".")[0]?.replaceAll("_mm_s2", "").replaceAll("_mm_s", "").replaceAll("_", " ")})` : ""}
                  </option>
                ))}
              </select>
            </label>
            {factor === undefined || isTyped(factor) ? (
              <label className="flex flex-col text-quiet">
                <Trans>Levels{factor?.unit ? `, ${factor.unit}` : ""}</Trans>
                <input className="input input-sm w-full border-rule text-base-content" value={row.text} placeholder={t`such as 0.3 · 0.45 · 0.6`} onChange={(event) => set(place, { text: event.target.value })} />
              </label>
            ) : (
              <fieldset className="min-w-0">
                <legend className="text-quiet"><Trans>Levels</Trans></legend>
                <div className="flex flex-wrap gap-x-4 gap-y-1 pt-1">
                  {picksOf(factor, shelf).map(([value, words]) => (
                    <label key={value} className="flex min-h-7 items-center gap-1">
                      <input type="checkbox" className="checkbox checkbox-xs" checked={row.picked.includes(value)} onChange={(event) => set(place, { picked: event.target.checked ? [...row.picked, value] : row.picked.filter((one) => one !== value) })} />
                      {words}
                    </label>
                  ))}
                </div>
              </fieldset>
            )}
            {rows.length > 1 && (
              <button type="button" className="btn btn-ghost btn-sm self-end" aria-label={t`Take ${factor?.label ?? t`the factor`} out`} onClick={() => setRows((now) => now.filter((_, at) => at !== place))}>
                <Trans>Take out</Trans>
              </button>
            )}
          </div>
        );
      })}
      <p className="flex flex-wrap items-center gap-x-4 gap-y-1">
        {rows.length < 3 && (
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            onClick={() => {
              const free = factors.find((one) => !rows.some((row) => row.key === one.key) && isTyped(one));
              if (free) setRows((now) => [...now, { key: free.key, text: "", picked: [] }]);
            }}
          >
            <Trans>Another factor</Trans>
          </button>
        )}
        <label className="flex min-h-7 items-center gap-1">
          <input type="checkbox" className="checkbox checkbox-xs" checked={said.keep_shell} onChange={(event) => setSaid({ ...said, keep_shell: event.target.checked })} />
          <Trans>shell equal in millimetres</Trans>
        </label>
        <label className="flex min-h-7 items-center gap-1">
          <input type="checkbox" className="checkbox checkbox-xs" checked={said.keep_skins} onChange={(event) => setSaid({ ...said, keep_skins: event.target.checked })} />
          <Trans>tops and floors, too</Trans>
        </label>
      </p>
      <div className="flex flex-wrap items-end gap-3">
        <label className="flex flex-col text-quiet">
          <Trans>Measured</Trans>
          <select className="select select-sm w-56 border-rule text-base-content" value={said.measure} onChange={(event) => setSaid({ ...said, measure: event.target.value as Grid["measure"], more_is_better: event.target.value !== "squeeze" })}>
            {MEASURES.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </select>
        </label>
        {said.measure !== "none" && (
          <Number label={t`Gauge reads to, ${measureUnit(said)}`} value={said.gauge} least={0.001} most={1000} step="any" onChange={(gauge) => setSaid({ ...said, gauge })} />
        )}
        <Number label={t`Pieces a cell`} value={said.pieces} least={1} most={50} step="1" onChange={(pieces) => setSaid({ ...said, pieces: Math.round(pieces) })} />
        {said.pieces > 1 && (
          <label className="flex items-center gap-1 pb-1.5">
            <input type="checkbox" className="checkbox checkbox-xs" checked={said.together} onChange={(event) => setSaid({ ...said, together: event.target.checked })} />
            <Trans>together on a plate</Trans>
          </label>
        )}
        <label className="flex min-w-48 flex-1 flex-col text-quiet">
          <Trans>Spots to compare by eye</Trans>
          <input className="input input-sm w-full border-rule text-base-content" value={spots} placeholder={t`such as slope, corner`} onChange={(event) => setSpots(event.target.value)} />
        </label>
      </div>
      {(wrong ?? problem) && (
        <p role="alert" className="text-error">
          {wrong ?? problem}
        </p>
      )}
      <p className="flex items-center gap-3">
        <button type="submit" className="btn btn-accent btn-sm" disabled={busy}>
          {label}
        </button>
        <span className="text-quiet">
          <Plural value={cells} one="# cell" other="# cells" />
        </span>
      </p>
    </form>
  );
}

interface Draft {
  key: string;
  text: string;
  picked: readonly string[];
}

function draftOf(factor: GridFactor, byKey: ReadonlyMap<string, Varied>): Draft {
  const varied = byKey.get(factor.key);
  if (varied === undefined || isTyped(varied)) return { key: factor.key, text: varied === undefined ? factor.levels.join(" · ") : levelsText(factor.levels, varied), picked: [] };
  return { key: factor.key, text: "", picked: factor.levels.map(String) };
}

function levelsOf(row: Draft, byKey: ReadonlyMap<string, Varied>): Level[] {
  const factor = byKey.get(row.key);
  if (factor === undefined) throw new Error(t`Choose what varies.`);
  if (isTyped(factor)) return typedLevels(row.text, factor);
  if (row.picked.length === 0) throw new Error(t`Tick levels of ${factor.label.toLowerCase()}.`);
  if (factor.kind === "yesno") return row.picked.map((one) => one === "true");
  return ["machine", "nozzle", "material"].includes(factor.kind) ? row.picked.map(globalThis.Number) : [...row.picked];
}

function countOf(row: Draft, byKey: ReadonlyMap<string, Varied>): number {
  try {
    return levelsOf(row, byKey).length;
  } catch {
    return 0;
  }
}

function picksOf(factor: Varied, shelf: Shelf | undefined): [string, string][] {
  const rows = factor.kind === "machine" ? shelf?.machines : factor.kind === "nozzle" ? shelf?.nozzles : factor.kind === "material" ? shelf?.materials : undefined;
  if (rows !== undefined) return rows.filter((row) => !row.removed).map((row) => [String(row.id), row.name]);
  return optionsOf(factor).map((option) => [option.value, option.label]);
}

interface NumberProps {
  label: string;
  value: number;
  least: number;
  most: number;
  step: string;
  onChange: (value: number) => void;
}

function Number({ label, value, least, most, step, onChange }: NumberProps) {
  return (
    <label className="flex flex-col text-quiet">
      {label}
      <input type="number" className="input input-sm w-28 border-rule text-base-content" value={value} min={least} max={most} step={step} onChange={(event) => event.target.value !== "" && onChange(globalThis.Number(event.target.value))} />
    </label>
  );
}
