import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Machine, type Shelf } from "../../api/client";
import { shelfChanged } from "../../api/queries";
import { fixed, parseNumber } from "../../lib/format";

type Known = NonNullable<Machine["printer"]["known_flows"]>[number];

/** What somebody knows a hot end to melt, without a test: it counts before the typical figure, and after a flow test. */
export function KnownFlows({ shelf }: { shelf: Shelf }) {
  const machines = shelf.machines.filter((one) => !one.removed);
  const materials = shelf.materials.filter((one) => !one.removed);
  const bores = [...new Set(shelf.nozzles.filter((one) => !one.removed).map((one) => one.nozzle.bore_mm ?? 0.4))].sort((a, b) => a - b);
  const [machineId, setMachine] = useState(machines[0]?.id ?? 0);
  const [material, setMaterial] = useState(materials[0]?.material.name ?? "");
  const [bore, setBore] = useState(bores[0] ?? 0.4);
  const [flow, setFlow] = useState("");
  const machine = machines.find((one) => one.id === machineId) ?? machines[0];
  const queries = useQueryClient();
  const store = useMutation({
    mutationFn: async ({ on, flows }: { on: Machine; flows: Known[] }) =>
      take(await api.PATCH("/api/machines/{row_id}", { params: { path: { row_id: on.id } }, body: { version: on.version, printer: { ...on.printer, known_flows: flows } } })),
    onSuccess: async () => {
      setFlow("");
      await shelfChanged(queries);
    },
  });
  const value = parseNumber(flow);
  const wrong = flow !== "" && !(value > 0 && value <= 1000) ? t`Enter a flow in mm³/s, such as 14.` : "";
  if (!machine) return null;
  const same = (one: Known) => one.material === material && one.bore_mm === bore;
  const pick = "select select-sm border-rule bg-base-100";
  return (
    <section aria-labelledby="known" className="mt-8 max-w-3xl">
      <h2 id="known" className="font-serif text-2xl">
        <Trans>I know what it melts</Trans>
      </h2>
      <p className="text-sm text-quiet">
        <Trans>A flow that comes out well counts instead of the typical figure, higher or lower, until a flow test of that nozzle and plastic is in use.</Trans>
      </p>
      <form
        className="mt-2 flex flex-wrap items-end gap-3 text-sm"
        onSubmit={(event) => {
          event.preventDefault();
          if (!(value > 0) || wrong) return;
          const others = (machine.printer.known_flows ?? []).filter((one) => !same(one));
          store.mutate({ on: machine, flows: [...others, { material, bore_mm: bore, flow_mm3_s: value, metal: null, temp_c: null }] });
        }}
      >
        <label className="flex flex-col">
          <Trans>Machine</Trans>
          <select className={pick} value={machine.id} onChange={(event) => setMachine(Number(event.target.value))}>
            {machines.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <label className="flex flex-col">
          <Trans>Nozzle</Trans>
          <select className={pick} value={bore} onChange={(event) => setBore(Number(event.target.value))}>
            {bores.map((one) => (
              <option key={one} value={one}>
                {t`${one} mm`}
              </option>
            ))}
          </select>
        </label>
        <label className="flex flex-col">
          <Trans>Plastic</Trans>
          <select className={pick} value={material} onChange={(event) => setMaterial(event.target.value)}>
            {[...new Set(materials.map((one) => one.material.name ?? ""))].map((one) => (
              <option key={one} value={one}>
                {one}
              </option>
            ))}
          </select>
        </label>
        <label className="flex flex-col">
          <Trans>Flow, mm³/s</Trans>
          <input className="input input-sm w-24 border-rule bg-base-100" inputMode="decimal" value={flow} aria-invalid={wrong !== ""} aria-describedby="known-wrong" onChange={(event) => setFlow(event.target.value)} />
        </label>
        <button type="submit" className="btn btn-outline btn-sm font-normal" disabled={!(value > 0) || wrong !== "" || store.isPending}>
          <Trans>Save</Trans>
        </button>
      </form>
      {(wrong !== "" || store.error) && (
        <p id="known-wrong" role="alert" className="text-sm text-error">
          {wrong || store.error?.message}
        </p>
      )}
      <ul className="mt-2 text-sm">
        {machines.flatMap((one) =>
          (one.printer.known_flows ?? []).map((known) => (
            <li key={`${one.id} ${known.material} ${known.bore_mm} ${known.metal ?? ""}`} className="flex items-baseline gap-3 border-t border-rule py-1.5">
              <span className="flex-1">
                <Trans>
                  {one.name}, {known.bore_mm} mm, {known.material}: {fixed(known.flow_mm3_s, 1)} mm³/s
                </Trans>
              </span>
              <button type="button" className="btn btn-ghost btn-xs font-normal" disabled={store.isPending} onClick={() => store.mutate({ on: one, flows: (one.printer.known_flows ?? []).filter((other) => other !== known) })}>
                <Trans>Remove</Trans>
              </button>
            </li>
          )),
        )}
      </ul>
    </section>
  );
}
