import { t } from "@lingui/core/macro";
import type { LegendEntry } from "./painting";

interface LegendProps {
  entries: LegendEntry[];
  only: string | null;
  onOnly: (key: string | null) => void;
}

const SWATCH = [
  "none",
  "repeating-linear-gradient(90deg, transparent 0 6px, rgb(0 0 0 / 0.55) 6px 9px)",
  "linear-gradient(0deg, transparent 38%, rgb(0 0 0 / 0.55) 38% 62%, transparent 62%)",
  "radial-gradient(circle at 4px 50%, rgb(0 0 0 / 0.6) 0 2px, transparent 2.2px)",
  "repeating-linear-gradient(90deg, transparent 0 7px, rgb(0 0 0 / 0.55) 7px 14px)",
];

/** What the colours mean; one of them can be made to stand out. */
export function Legend({ entries, only, onOnly }: LegendProps) {
  return (
    <ul className="mt-1 text-sm" aria-label={t`Legend`}>
      {entries.map((entry) => (
        <li key={entry.key}>
          <button
            type="button"
            aria-pressed={only === entry.key}
            className={`flex min-h-6 w-full cursor-pointer items-center gap-2 px-1 text-left hover:bg-base-200 ${only !== null && only !== entry.key ? "text-quiet" : ""} ${only === entry.key ? "bg-molten-wash" : ""}`}
            onClick={() => onOnly(only === entry.key ? null : entry.key)}
          >
            <span
              className="inline-block h-3 w-7 rounded-full"
              style={{ backgroundColor: entry.colour, backgroundImage: SWATCH[entry.pattern], backgroundSize: entry.pattern === 3 ? t`8px 100%` : undefined }}
            />
            <span className="w-4 text-quiet">{entry.letter}</span>
            {entry.label}
          </button>
        </li>
      ))}
    </ul>
  );
}
