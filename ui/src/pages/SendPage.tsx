import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link, useSearchParams } from "react-router";
import type { RecipeColumn } from "../api/client";
import { printOf, usePrints, useSending } from "../api/prints";
import { useColumns, useShelf } from "../api/queries";
import { FileStep, SendStep, WayStep } from "../features/sending/Steps";
import { Live } from "../features/sending/Live";
import { usePartOfPage } from "./PartLayout";

/** From a column to the machine: its file, the way, the start; and how the print goes. */
export default function SendPage() {
  const part = usePartOfPage();
  const columns = useColumns(part.id);
  const [query, setQuery] = useSearchParams();
  useEffect(() => {
    document.title = t`Print ${part.name} · Mean Bead`;
  }, [part.name]);
  if (columns.isLoadingError) return <p className="py-6 text-error">{columns.error.message}</p>;
  if (columns.data === undefined) return <p className="py-10 text-quiet"><Trans>Fetching the recipes …</Trans></p>;
  const usable = columns.data.filter((one) => one.problem == null);
  const column = usable.find((one) => one.id === Number(query.get("column"))) ?? usable.find((one) => one.id === part.chosen_id) ?? usable[0];
  if (column === undefined) {
    return (
      <p className="py-10">
        <Trans>
          There is no recipe to print.{" "}
          <Link className="underline" to={`/parts/${part.id}`}>
            Add a column on the bench.
          </Link>
        </Trans>
      </p>
    );
  }
  const queue = query.get("queue") ? { queue_id: Number(query.get("queue")), plate: Number(query.get("plate") ?? 1) } : null;
  return (
    <div className="mt-3">
      <label className="text-sm">
        <Trans>Recipe</Trans>{" "}
        <select className="select select-xs w-56 border-rule bg-base-100" value={column.id} onChange={(event) => setQuery({ column: event.target.value }, { replace: true })}>
          {usable.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
      <Send key={column.id} column={column} queue={queue} />
    </div>
  );
}

function Send({ column, queue }: { column: RecipeColumn; queue: { queue_id: number; plate: number } | null }) {
  const sending = useSending(column.machine_id);
  const prints = usePrints();
  const shelf = useShelf().data;
  const print = printOf(prints.data, column.machine_id);
  const nozzle = shelf?.nozzles.find((one) => one.id === column.nozzle_id)?.name ?? t`the nozzle`;
  const machine = shelf?.machines.find((one) => one.id === column.machine_id);
  const material = shelf?.materials.find((one) => one.id === column.material_id)?.name ?? t`the plastic`;
  const spool = shelf?.spools.find((one) => one.id === (column.spool_id ?? machine?.spool_id) && one.material_id === column.material_id);
  if (sending.isLoadingError) return <p className="py-6 text-error">{sending.error.message}</p>;
  const mine = print?.recipe_id === column.id ? print : undefined;
  const followed = mine && ["starting", "printing", "paused", "done", "unknown", "stopped"].includes(mine.state) ? mine : undefined;
  return (
    <>
      {followed && (
        <div className="mt-3">
          <Live print={followed} />
          {followed.run_id != null && (
            <p className="mt-2">
              <Link className="underline" to={`/log/${followed.run_id}`}>
                <Trans>Its entry in the log, #{followed.run_id}</Trans>
              </Link>
              {["done", "unknown", "stopped"].includes(followed.state) && (
                <>
                  {" · "}
                  <Link className="underline" to={`/log/${followed.run_id}/enter`}>
                    <Trans>say how it looks, and what it weighs</Trans>
                  </Link>
                </>
              )}
            </p>
          )}
        </div>
      )}
      <div className="mt-4 grid gap-x-10 gap-y-6 lg:grid-cols-[minmax(0,5fr)_minmax(0,4fr)_minmax(0,4fr)]">
        <FileStep column={column} sending={sending.data} />
        {sending.data && <WayStep sending={sending.data} />}
        {sending.data && <SendStep column={column} sending={sending.data} print={print} holds={{ nozzle, spool: spool?.name ?? t`a spool of ${material}` }} queue={queue} />}
      </div>
    </>
  );
}
