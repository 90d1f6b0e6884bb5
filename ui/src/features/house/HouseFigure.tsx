import { useState } from "react";
import { parseNumber, plain } from "../../lib/format";

interface HouseFigureProps {
  label: string;
  unit: string;
  value: number;
  onChange: (value: number) => void;
}

/** One figure of the house: typed over, kept with Enter or when it is left. */
export function HouseFigure({ label, unit, value, onChange }: HouseFigureProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const commit = () => {
    const number = typed === null ? NaN : parseNumber(typed);
    setTyped(null);
    if (!Number.isNaN(number) && number !== value) onChange(number);
  };
  return (
    <label className="flex items-center gap-1.5">
      {label}
      <input
        className="input input-xs w-16 border-rule bg-base-100 text-right"
        inputMode="decimal"
        value={typed ?? plain(value)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setTyped(null);
        }}
      />
      <span className="text-quiet">{unit}</span>
    </label>
  );
}
