import { t } from "@lingui/core/macro";
import { useId } from "react";
import type { ShelfField } from "./shelfKinds";
import { SourceMark } from "./SourceMark";
import type { FieldValue } from "./tree";
import { useFigure, type Provenance } from "./useFigure";

interface FigureProps {
  field: ShelfField;
  unit: string;
  stored: unknown;
  source: Provenance | null;
  save: (value: FieldValue) => Promise<void>;
  onSource: (source: Provenance) => void;
}

/** One figure of a row: typed over in place, kept when it is left or with Enter, with where it comes from. */
export function Figure({ field, unit, stored, source, save, onSource }: FigureProps) {
  const { text, type, store, revert, problem } = useFigure(field, stored, save);
  const id = useId();
  const box = `border bg-base-100 px-1 py-0.5 ${problem ? "border-error" : "border-rule"}`;
  return (
    <div className="border-b border-base-300 py-0.5 text-sm">
      <div className="flex items-center gap-2">
        <label htmlFor={id} className="min-w-0 flex-1" title={field.help}>
          {field.label} {unit && <span className="text-xs text-quiet">{unit}</span>}
        </label>
        {field.options ? (
          <select
            id={id}
            className={`${box} w-36`}
            value={text}
            aria-describedby={field.help ? `${id}-help` : undefined}
            onChange={(event) => {
              type(event.target.value);
              void store(event.target.value);
            }}
          >
            {text === "" && <option value="">{t`not said`}</option>}
            {field.options.map((option) => (
              <option key={option.value} value={option.value}>
                {option.label}
              </option>
            ))}
          </select>
        ) : (
          <input
            id={id}
            type={field.kind === "date" ? "date" : "text"}
            className={`${box} ${field.kind === "text" || field.kind === "date" ? "w-36" : "w-24 text-right"}`}
            inputMode={field.kind === "text" || field.kind === "date" ? undefined : "decimal"}
            autoComplete="off"
            aria-invalid={problem !== null}
            aria-describedby={problem ? `${id}-problem` : field.help ? `${id}-help` : undefined}
            value={text}
            onChange={(event) => type(event.target.value)}
            onBlur={(event) => void store(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "Enter") void store(event.currentTarget.value);
              if (event.key === "Escape") revert();
            }}
          />
        )}
        {source === null ? field.group !== "" && <span className="w-[4.6rem]" /> : <SourceMark source={source} of={field.label} onChange={onSource} />}
      </div>
      {field.help && (
        <span id={`${id}-help`} className="sr-only">
          {field.help}
        </span>
      )}
      {problem && (
        <p id={`${id}-problem`} role="alert" className="text-error">
          {problem}
        </p>
      )}
    </div>
  );
}
