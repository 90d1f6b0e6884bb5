import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ProblemError, take, type FlowSetup, type Shelf } from "../../api/client";
import { keys } from "../../api/queries";
import { formatDuration, formatGrams, parseNumber, plain } from "../../lib/format";
import { Cautions } from "./Cautions";
import { PlanTable } from "./PlanTable";

const SCALES = [0.001, 0.01, 0.1, 1];

/** Plan a test: of what, how hot, with which scale; what that takes is shown at once. */
export function PlanForm({ shelf, flowTests }: { shelf: Shelf; flowTests: number }) {
  const machines = shelf.machines.filter((one) => !one.removed);
  const [machineId, setMachine] = useState(machines[0]?.id ?? 0);
  const machine = machines.find((one) => one.id === machineId) ?? machines[0];
  const spool = shelf.spools.find((one) => one.id === machine?.spool_id);
  const [nozzleId, setNozzle] = useState<number | null>(null);
  const [materialId, setMaterial] = useState<number | null>(null);
  const [temps, setTemps] = useState<string | null>(null);
  const [flows, setFlows] = useState("");
  const [fan, setFan] = useState<boolean | null>(null);
  const [scale_g, setScale] = useState(0.01);
  const nozzle = nozzleId ?? machine?.nozzle_id ?? shelf.nozzles.find((one) => !one.removed)?.id ?? 0;
  const material = shelf.materials.find((one) => one.id === (materialId ?? spool?.material_id)) ?? shelf.materials.find((one) => !one.removed);
  const tempsText = temps ?? plain(material?.material.nozzle_temp_c ?? 210);
  const blows = fan ?? (material?.material.fan_max ?? 1) > 0.05;
  const setup: Omit<FlowSetup, "filament_diameter_mm" | "density_g_cm3"> = {
    temps_c: numbers(tempsText),
    fan: blows ? (material?.material.fan_max ?? 1) : 0,
    scale_g,
    flows_mm3_s: numbers(flows),
    console_address: (machine?.console)?.address ?? "",
    scale_address: localStorage.getItem("meanbead.scale") ?? "",
    note: "",
  };
  const spools = shelf.spools.filter((one) => !one.removed && one.material_id === material?.id);
  const holds = spools.find((one) => one.id === machine?.spool_id) ?? spools[0];
  const what = { machine_id: machine?.id ?? 0, nozzle_id: nozzle, material_id: material?.id ?? 0, spool_id: holds?.id ?? null };
  const planned = useQuery({
    queryKey: ["flow-plan", what, setup],
    queryFn: async () => take(await api.POST("/api/flow-tests/plan", { body: { ...what, setup } })),
    enabled: machine !== undefined && material !== undefined && setup.temps_c.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const queries = useQueryClient();
  const go = useNavigate();
  const make = useMutation({
    mutationFn: async () => take(await api.POST("/api/flow-tests", { body: { ...what, setup } })),
    onSuccess: async (made) => {
      queries.setQueryData(keys.flowTest(made.id), made);
      await go(`/flow/${made.id}`);
    },
  });
  const problem = setup.temps_c.length === 0 ? t`Give at least one temperature in °C, such as 205 220.` : planned.error instanceof ProblemError ? planned.error.message : (make.error?.message ?? "");
  const plan = problem ? undefined : planned.data?.plan;
  const pick = "select select-sm w-full border-rule bg-base-100";
  return (
    <section aria-labelledby="plan">
      <h2 id="plan" className="font-serif text-2xl">
        <Trans>Plan a test</Trans>
      </h2>
      <form
        className="mt-1 grid grid-cols-1 gap-x-5 gap-y-2 text-sm sm:grid-cols-3"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <label>
          <Trans>Machine</Trans>
          <select
            className={pick}
            value={machine?.id}
            onChange={(event) => {
              setMachine(Number(event.target.value));
              setNozzle(null);
              setMaterial(null);
              setTemps(null);
            }}
          >
            {machines.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Nozzle</Trans>
          <select className={pick} value={nozzle} onChange={(event) => setNozzle(Number(event.target.value))}>
            {shelf.nozzles.filter((one) => !one.removed).map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
                {one.id === machine?.nozzle_id ? t` (fitted)` : ""}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Plastic</Trans>
          <select
            className={pick}
            value={material?.id}
            onChange={(event) => {
              setMaterial(Number(event.target.value));
              setTemps(null);
            }}
          >
            {shelf.materials.filter((one) => !one.removed).map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Temperatures, °C</Trans>
          <input className="input input-sm w-full border-rule bg-base-100" inputMode="text" value={tempsText} aria-invalid={problem !== ""} onChange={(event) => setTemps(event.target.value)} />
          <span className="text-xs text-quiet"><Trans>one, or several with a space between</Trans></span>
        </label>
        <label>
          <Trans>Flows, mm³/s</Trans>
          <input className="input input-sm w-full border-rule bg-base-100" inputMode="text" placeholder={t`proposed`} value={flows} onChange={(event) => setFlows(event.target.value)} />
          <span className="text-xs text-quiet"><Trans>left empty, from half of what is thought to melt</Trans></span>
        </label>
        <label>
          <Trans>The scale reads in steps of</Trans>
          <select className={pick} value={scale_g} onChange={(event) => setScale(Number(event.target.value))}>
            {SCALES.map((step) => (
              <option key={step} value={step}>
                {plain(step)} g
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2 sm:col-span-2">
          <input type="checkbox" className="checkbox checkbox-sm" checked={blows} onChange={(event) => setFan(event.target.checked)} />
          <span>
            <Trans>Part fan on, as this plastic is printed <span className="text-quiet">(it cools the block)</span></Trans>
          </span>
        </label>
        {problem && (
          <p role="alert" className="text-error sm:col-span-3">
            {problem}
          </p>
        )}
        {plan && (
          <>
            <p className="sm:col-span-3">
              <Trans>
                <strong className="font-serif text-xl font-medium">
                  {formatDuration(plan.time_s)}, {formatGrams(plan.filament_g)}, {plain(Math.round(plan.filament_mm / 100) / 10)} m
                </strong>{" "}
                for {plan.steps.length} strands. The knee is thought to be near {plain(Math.round(plan.expected_mm3_s * 10) / 10)} mm³/s ({plan.expected_source}).
              </Trans>
              {planned.data?.spool_says && <span className="block text-warning">{planned.data.spool_says}</span>}
              {plan.notes.map((note) => (
                <span key={note} className="block text-quiet">
                  {note}
                </span>
              ))}
            </p>
            <div className="sm:col-span-3">
              <button type="submit" className="btn btn-primary btn-sm font-normal" disabled={make.isPending || planned.isPlaceholderData}>
                {flowTests === 0 ? t`Keep this test and begin` : t`Keep this test`}
              </button>
            </div>
            <div className="grid gap-x-6 gap-y-3 sm:col-span-3 md:grid-cols-2">
              <PlanTable plan={plan} />
              <Cautions plan={plan} />
            </div>
          </>
        )}
      </form>
    </section>
  );
}

/** Numbers in a text, parted by spaces, commas between spaces or semicolons. */
export function numbers(text: string): number[] {
  return text
    .split(/[\s;]+|,(?=\s|$)/)
    .map((one) => one.trim())
    .filter((one) => one !== "")
    .map(parseNumber)
    .filter((one) => !Number.isNaN(one));
}
