import { useEffect, useRef, useState } from "react";
import type { ColumnState } from "./ResultCell";
import { RESULTS } from "./results";

const TOLD = RESULTS.filter((row) => row.main);

/** Says new figures to those who do not see them: once all layers of an edited column are computed, not before. */
export function Spoken({ columns }: { columns: ColumnState[] }) {
  const known = useRef(new Map<number, number>());
  const [said, setSaid] = useState("");
  useEffect(() => {
    for (const { column, estimate, pending, sampled } of columns) {
      if (pending || sampled || !estimate) continue;
      const before = known.current.get(column.id);
      known.current.set(column.id, column.version);
      if (before === undefined || before === column.version) continue;
      const figures = TOLD.map((row) => `${row.label} ${row.show(estimate)} ${row.key === "print_time" ? "" : row.unit}`.trim());
      setSaid(`${column.name}: ${figures.join(", ")}`);
    }
  }, [columns]);
  return (
    <p aria-live="polite" className="sr-only" data-testid="spoken">
      {said}
    </p>
  );
}
