import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../api/client";
import { useColumns } from "../api/queries";
import { usePartOfPage } from "./PartLayout";
import { Around } from "../features/tradeoff/Around";

/** All that the limits allow around one column: the frontier of time against filament. */
export default function TradeoffPage() {
  const part = usePartOfPage();
  const columns = useColumns(part.id);
  const usable = (columns.data ?? []).filter((column) => !column.gcode && column.problem == null);
  const [wanted, setWanted] = useState<number | null>(null);
  const column = usable.find((one) => one.id === wanted) ?? usable[0];
  const start = useQuery({
    queryKey: ["search-start", column?.id, column?.version, part.version, part.facts.digest],
    queryFn: async () =>
      take(await api.GET("/api/recipes/{recipe_id}/search", { params: { path: { recipe_id: column?.id ?? 0 } } })),
    enabled: column !== undefined,
    staleTime: Infinity,
  });
  if (columns.isLoadingError) return <p className="py-6 text-error">{columns.error.message}</p>;
  if (columns.data !== undefined && column === undefined)
    return <p className="py-8 text-quiet"><Trans>There is no recipe to look around. Add a column on the bench first.</Trans></p>;
  if (start.isError) return <p className="py-6 text-error">{start.error.message}</p>;
  if (column === undefined || start.data === undefined) return <p className="py-10 text-quiet"><Trans>Measuring the part …</Trans></p>;
  return (
    <Around
      key={`${column.id}:${column.version}`}
      part={part}
      column={column}
      columns={usable}
      start={start.data}
      onColumn={setWanted}
    />
  );
}
