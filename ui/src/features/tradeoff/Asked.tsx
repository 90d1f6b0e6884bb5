import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { Measures, SearchLimits, SearchStart, Shelf } from "../../api/client";
import { parseNumber, plain } from "../../lib/format";
import { accepted, boundsText, FIELDS } from "../sheet/fields";

export type Vary = SearchStart["vary"];

interface Spoken {
  label: string;
  unit: string;
  scale: number;
}

const AXES: Record<string, Spoken> = {
  nozzle: { label: t`Nozzle`, unit: "", scale: 1 },
  layer_height_mm: { label: t`Layer height`, unit: "mm", scale: 1 },
  line_width_bores: { label: t`Line width`, unit: t`bores`, scale: 1 },
  inner_width_bores: { label: t`Inner lines`, unit: t`bores`, scale: 1 },
  walls: { label: t`Walls`, unit: "", scale: 1 },
  "infill.density": { label: t`Infill`, unit: "%", scale: 100 },
  "infill.pattern": { label: t`Pattern`, unit: "", scale: 1 },
  "infill.lines_side_by_side": { label: t`Lines side by side`, unit: "", scale: 1 },
  pace: { label: t`Pace`, unit: "×", scale: 1 },
  "acceleration_mm_s2.print": { label: t`Acceleration`, unit: "mm/s²", scale: 1 },
};

const PATTERNS = FIELDS.find((field) => field.key === "infill.pattern")?.options.map((option) => option.value) ?? [];

interface VaryPanelProps {
  all: Vary;
  off: readonly string[];
  typed: Readonly<Partial<Record<string, string>>>;
  shelf: Shelf | undefined;
  onToggle: (key: string) => void;
  /** Undefined where the usual values stand there again. */
  onType: (key: string, text: string | undefined) => void;
}

/** What may vary, and by which values. */
export function VaryPanel({ all, off, typed, shelf, onToggle, onType }: VaryPanelProps) {
  return (
    <fieldset className="space-y-0.5">
      <legend className="font-serif text-xl"><Trans>What may vary</Trans></legend>
      {Object.entries(all).map(([key, values]) => {
        const { label, unit } = AXES[key] ?? { label: key, unit: "" };
        const text = typed[key] ?? valuesText(key, values, shelf);
        const said = off.includes(key) ? undefined : problemWith(key, typed[key], shelf);
        return (
          <div key={key} className="grid grid-cols-[8.5rem_minmax(0,1fr)_2.6rem] items-center gap-x-2 text-sm">
            <label className="flex items-center gap-1.5">
              <input type="checkbox" className="checkbox checkbox-xs" checked={!off.includes(key)} onChange={() => onToggle(key)} />
              {label}
            </label>
            <input
              className={`input input-xs w-full bg-base-100 ${said ? "border-error" : "border-rule"}`}
              aria-label={t`Values of ${label}`}
              aria-invalid={said !== undefined}
              aria-describedby={said === undefined ? undefined : `vary-${key}`}
              title={text}
              disabled={off.includes(key)}
              value={text}
              onChange={({ target }) => onType(key, target.value === valuesText(key, values, shelf) ? undefined : target.value)}
            />
            <span className="text-xs text-quiet">{unit}</span>
            {said !== undefined && (
              <p id={`vary-${key}`} className="col-span-3 text-xs text-error">
                {said}
              </p>
            )}
          </div>
        );
      })}
    </fieldset>
  );
}

function valuesText(key: string, values: Vary[string], shelf: Shelf | undefined): string {
  if (key === "nozzle") return values.map((id) => shelf?.nozzles.find((one) => one.id === id)?.name ?? String(id)).join(", ");
  const scale = AXES[key]?.scale ?? 1;
  return values.map((value) => (typeof value === "number" ? plain(value * scale) : String(value))).join(", ");
}

/** The values that were typed, apart by commas; null where one cannot be. */
export function typedValues(key: string, text: string, shelf: Shelf | undefined): Vary[string] | null {
  const words = text.split(/[,;]\s+|[;]|,(?=\D)/).map((word) => word.trim()).filter(Boolean);
  if (words.length === 0) return null;
  const scale = AXES[key]?.scale ?? 1;
  const values = words.map((word) => {
    if (key === "nozzle") return shelf?.nozzles.find((one) => one.name.toLowerCase() === word.toLowerCase())?.id ?? null;
    if (key === "infill.pattern") return PATTERNS.includes(word.toLowerCase()) ? word.toLowerCase() : null;
    const number = parseNumber(word);
    return Number.isNaN(number) ? null : Number((number / scale).toFixed(6));
  });
  return values.includes(null) ? null : values;
}

/** What keeps typed values from being searched, in a sentence. */
export function problemWith(key: string, text: string | undefined, shelf: Shelf | undefined): string | undefined {
  if (text === undefined) return undefined;
  const values = typedValues(key, text, shelf);
  const field = FIELDS.find((one) => one.key === key);
  if (values === null) {
    if (key === "nozzle") return t`Name nozzles of the shelf, with commas between them.`;
    if (key === "infill.pattern") return t`Name some of: ${PATTERNS.join(", ")}.`;
    return t`Type numbers, with commas between them.`;
  }
  const numbers = values.filter((value) => typeof value === "number");
  if (field?.kind === "whole" && !numbers.every(Number.isInteger)) return t`Type whole numbers.`;
  const bad = key === "nozzle" ? undefined : numbers.find((value) => (field === undefined ? value <= 0 : !accepted(value, field)));
  if (bad === undefined) return undefined;
  return field === undefined ? t`Type numbers above 0.` : t`${plain(bad * (AXES[key]?.scale ?? 1))} cannot be: ${boundsText(field)}.`;
}

const LIMITS: readonly { key: keyof SearchLimits; label: string; unit: string; scale: number }[] = [
  { key: "ridge_mm", label: t`Steps on slopes, most`, unit: "mm", scale: 1 },
  { key: "detail_mm", label: t`Narrowest detail`, unit: "mm", scale: 1 },
  { key: "shell_mm", label: t`Shell, least`, unit: "mm", scale: 1 },
  { key: "infill_density", label: t`Infill, least`, unit: "%", scale: 100 },
  { key: "flow_margin", label: t`Melt margin, least`, unit: "%", scale: 100 },
  { key: "outer_speed_mm_s", label: t`Outer wall, most`, unit: "mm/s", scale: 1 },
  { key: "lost_share", label: t`Lost detail, most`, unit: "%", scale: 100 },
  { key: "filament_g", label: t`Filament, most`, unit: "g", scale: 1 },
  { key: "cost", label: t`Cost, most`, unit: "", scale: 1 },
  { key: "time_s", label: t`Whole time, most`, unit: "h", scale: 1 / 3600 },
  { key: "fault_risk", label: t`Chance to fail, most`, unit: "%", scale: 100 },
  { key: "plates_per_day", label: t`Plates a day, least`, unit: "", scale: 1 },
];

interface LimitsPanelProps {
  limits: SearchLimits;
  base: Measures | undefined;
  baseName: string;
  onChange: (limits: SearchLimits) => void;
}

/** The limits of the search, and holding the strength of a column. */
export function LimitsPanel({ limits, base, baseName, onChange }: LimitsPanelProps) {
  const [typed, setTyped] = useState<Partial<Record<string, string>>>({});
  const held = limits.bend != null;
  return (
    <fieldset className="space-y-0.5">
      <legend className="font-serif text-xl"><Trans>Limits</Trans></legend>
      <div className="grid grid-cols-1 gap-x-6 gap-y-0.5 sm:grid-cols-2 lg:grid-cols-1">
        {LIMITS.map(({ key, label, unit, scale }) => {
          const value = limits[key];
          const text = typed[key] ?? (value == null ? "" : plain(value * scale));
          const unread = text.trim() !== "" && Number.isNaN(parseNumber(text));
          // What is no number stays where it was typed, so that it can be mended.
          const commit = () => {
            if (unread) return;
            setTyped({ ...typed, [key]: undefined });
            onChange({ ...limits, [key]: text.trim() === "" ? null : Number((parseNumber(text) / scale).toFixed(6)) });
          };
          return (
            <div key={key}>
              <label className="grid grid-cols-[minmax(0,1fr)_4.5rem_2.6rem] items-center gap-2 text-sm">
                {label}
                <input
                  className={`input input-xs w-full bg-base-100 text-right ${unread ? "border-error" : "border-rule"}`}
                  aria-invalid={unread}
                  aria-describedby={unread ? `limit-${key}` : undefined}
                  inputMode="decimal"
                  placeholder={t`any`}
                  value={text}
                  onChange={(event) => setTyped({ ...typed, [key]: event.target.value })}
                  onBlur={() => typed[key] !== undefined && commit()}
                  onKeyDown={(event) => event.key === "Enter" && commit()}
                />
                <span className="text-xs text-quiet">{unit}</span>
              </label>
              {unread && (
                <p id={`limit-${key}`} className="text-xs text-error">
                  <Trans>No number yet: the limit holds as it was.</Trans>
                </p>
              )}
            </div>
          );
        })}
      </div>
      <label className="flex items-start gap-1.5 pt-1 text-sm">
        <input
          type="checkbox"
          className="checkbox checkbox-xs mt-0.5"
          checked={held}
          disabled={base === undefined}
          onChange={() =>
            onChange(
              held || base === undefined
                ? { ...limits, bend: null, crush: null, sideways: null, bond: null }
                : { ...limits, bend: base.bend, crush: base.crush, bond: Number((0.9 * base.bond).toFixed(4)) },
            )
          }
        />
        <span>
          <Trans>At least as strong as {baseName}</Trans>
          {held && base && (
            <span className="text-quiet">
              <Trans>: bend {base.bend.toFixed(2)}, crush {base.crush.toFixed(2)}, bond {(0.9 * base.bond).toFixed(2)}</Trans>
            </span>
          )}
          <span className="block text-xs text-quiet"><Trans>Indices that compare recipes of this part; never a rating of what it carries.</Trans></span>
        </span>
      </label>
    </fieldset>
  );
}
