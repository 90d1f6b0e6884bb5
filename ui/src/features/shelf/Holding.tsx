import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Machine, Shelf } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { Figure } from "./Figure";
import type { ShelfField } from "./shelfKinds";
import type { ShelfRows } from "./useShelfRows";

const HOURS: ShelfField = { path: ["hours_run"], label: t`Hours run since`, unit: "h", group: "" };
const FITTED: ShelfField = { path: ["fitted_on"], label: t`fitted on`, group: "", kind: "date" };

/** What a machine holds now: which nozzle, since when, and which spool. */
export function Holding({ machine, shelf, rows }: { machine: Machine; shelf: Shelf; rows: ShelfRows }) {
  const toast = useToast();
  const failed = (error: unknown) => toast(error instanceof Error ? error.message : t`It could not be stored.`, { tone: "error" });
  const hold = (key: "nozzle_id" | "spool_id", value: number | null, what: string) =>
    void rows
      .edit(
        machine,
        () => ({ [key]: value }),
        (before) => {
          const { nozzle_id, fitted_on, hours_run, spool_id } = before as Machine;
          return key === "nozzle_id" ? { nozzle_id, fitted_on, hours_run } : { spool_id };
        },
        t`the ${what} on ${machine.name}`,
      )
      .catch(failed);
  const pick = "select select-xs w-48 border-rule bg-base-100";
  return (
    <section aria-label={t`What it holds`} className="mt-3 flex flex-wrap items-center gap-x-6 gap-y-1 border-y border-rule bg-base-200 px-3 py-2 text-sm">
      <label>
        <Trans>Nozzle</Trans>{" "}
        <select className={pick} value={machine.nozzle_id ?? ""} onChange={(event) => hold("nozzle_id", Number(event.target.value) || null, "nozzle")}>
          <option value="">{t`not said`}</option>
          {shelf.nozzles.filter((one) => !one.removed || one.id === machine.nozzle_id).map((nozzle) => (
            <option key={nozzle.id} value={nozzle.id}>
              {nozzle.name}
            </option>
          ))}
        </select>
      </label>
      {machine.nozzle_id !== null && (
        <div className="flex flex-wrap items-center gap-x-3">
          <Figure field={FITTED} unit="" stored={machine.fitted_on} source={null} save={(value) => rows.edit(machine, () => ({ fitted_on: value }), (before) => ({ fitted_on: (before as Machine).fitted_on }), t`when ${machine.name}'s nozzle was fitted`)} onSource={() => undefined} />
          <Figure field={HOURS} unit="h" stored={machine.hours_run} source={null} save={(value) => rows.edit(machine, () => ({ hours_run: value ?? 0 }), (before) => ({ hours_run: (before as Machine).hours_run }), t`the hours of ${machine.name}'s nozzle`)} onSource={() => undefined} />
        </div>
      )}
      <label>
        <Trans>Spool</Trans>{" "}
        <select className={pick} value={machine.spool_id ?? ""} onChange={(event) => hold("spool_id", Number(event.target.value) || null, "spool")}>
          <option value="">{t`none`}</option>
          {shelf.spools.filter((one) => !one.removed || one.id === machine.spool_id).map((spool) => (
            <option key={spool.id} value={spool.id}>
              {spool.name}, {Math.round(spool.left_g)} g
            </option>
          ))}
        </select>
      </label>
      <span className="text-quiet"><Trans>Swap nozzles with the proper tool, by the maker’s instructions: they are hot.</Trans></span>
    </section>
  );
}
