import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Shelf } from "../../api/client";
import { useJob } from "../../api/jobs";
import { useColumns, usePartNames } from "../../api/queries";
import { JobBar } from "../../components/JobBar";
import { fixed, formatDurationDifference, formatGrams, parseNumber, plain } from "../../lib/format";

/** The melt limit asked backwards: how hot a recipe has to be, what more heat buys, what is worth fitting. */
export function AskedBack({ shelf }: { shelf: Shelf }) {
  return (
    <section aria-labelledby="back" className="mt-8">
      <h2 id="back" className="font-serif text-2xl">
        <Trans>Asked the other way round</Trans>
      </h2>
      <div className="mt-1 grid gap-x-10 gap-y-5 md:grid-cols-2">
        <Heat />
        <Fitting shelf={shelf} />
      </div>
    </section>
  );
}

function Heat() {
  const parts = usePartNames();
  const [partId, setPart] = useState<number | null>(null);
  const [recipeId, setRecipe] = useState<number | null>(null);
  const part = partId ?? parts.data?.[0]?.id ?? 0;
  return (
    <div className="text-sm">
      <h3 className="font-serif text-lg"><Trans>What temperature would it need?</Trans></h3>
      {parts.data?.length === 0 && <p className="text-quiet"><Trans>Put a part in first.</Trans></p>}
      {part > 0 && (
        <>
          <label>
            <Trans>Part</Trans>{" "}
            <select
              className="select select-xs w-44 border-rule bg-base-100"
              value={part}
              onChange={(event) => {
                setPart(Number(event.target.value));
                setRecipe(null);
              }}
            >
              {parts.data?.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
            </select>
          </label>{" "}
          <OfColumn key={part} partId={part} recipeId={recipeId} onPick={setRecipe} />
        </>
      )}
    </div>
  );
}

function OfColumn({ partId, recipeId, onPick }: { partId: number; recipeId: number | null; onPick: (id: number) => void }) {
  const columns = useColumns(partId).data?.filter((one) => one.gcode == null);
  const id = recipeId ?? columns?.[0]?.id ?? 0;
  const heat = useQuery({
    queryKey: ["heat", id, columns?.find((one) => one.id === id)?.inputs],
    queryFn: async () => take(await api.GET("/api/recipes/{recipe_id}/heat", { params: { path: { recipe_id: id } } })),
    enabled: id > 0,
  });
  const told = heat.data;
  return (
    <>
      <label>
        <Trans>recipe</Trans>{" "}
        <select className="select select-xs w-44 border-rule bg-base-100" value={id} onChange={(event) => onPick(Number(event.target.value))}>
          {columns?.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
      {heat.isError && (
        <p role="alert" className="text-error">
          {heat.error.message}
        </p>
      )}
      {columns?.length === 0 && <p className="text-quiet"><Trans>This part has only replayed files: nothing can be asked of those.</Trans></p>}
      {heat.isFetching && <p className="text-quiet"><Trans>One moment …</Trans></p>}
      {told && (
        <div className="mt-2 space-y-1">
          <p>
            <Trans>It asks for {fixed(told.asked_mm3_s, 1)} mm³/s at its fastest and runs at {fixed(told.now_c, 0)} °C, where {fixed(told.plan_mm3_s, 1)} mm³/s may be planned ({told.basis || told.source}).</Trans>
          </p>
          <p>
            {told.needed_c == null ? (
              <>
                <Trans><strong>No temperature up to {fixed(told.highest_c, 0)} °C melts that much</strong> here: slower, a smaller bead, or another nozzle or hot end.</Trans>
              </>
            ) : (
              <>
                <strong><Trans>It needs {fixed(Math.ceil(told.needed_c), 0)} °C.</Trans></strong>
              </>
            )}
          </p>
          {told.hotter_c == null ? (
            <p className="text-quiet"><Trans>It cannot be any hotter.</Trans></p>
          ) : (
            <p>
              <Trans>
                {fixed(told.hotter_c - told.now_c, 0)} °C more ({fixed(told.hotter_c, 0)} °C, {fixed(told.hotter_plan_mm3_s ?? 0, 1)} mm³/s):{" "}
                <strong>{Math.abs(told.saved_s ?? 0) < 20 ? t`no minute is won` : formatDurationDifference(-(told.saved_s ?? 0))}</strong> on this part, by a sample of its layers. Hotter plastic oozes and sags more.
              </Trans>
            </p>
          )}
        </div>
      )}
    </>
  );
}

function Fitting({ shelf }: { shelf: Shelf }) {
  const machines = shelf.machines.filter((one) => !one.removed);
  const [machineId, setMachine] = useState(machines[0]?.id ?? 0);
  const [rounds, setRounds] = useState("1");
  const rounds_a_week = parseNumber(rounds);
  const work = useJob([machineId, rounds_a_week], async () => take(await api.POST("/api/fittings", { body: { machine_id: machineId, rounds_a_week } })));
  const ways = work.job?.fitting?.ways ?? [];
  const now = ways[0];
  return (
    <div className="text-sm">
      <h3 className="font-serif text-lg"><Trans>What is worth fitting?</Trans></h3>
      <p className="text-quiet"><Trans>Every part of the list whose chosen column is on the machine, as many as are wanted, with each nozzle and each hot end of the workshop. Recipes are carried over with their shell’s thickness; a coarser nozzle takes higher layers and loses detail.</Trans></p>
      <form
        className="mt-1 flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          work.start();
        }}
      >
        <label>
          <Trans>On</Trans>{" "}
          <select className="select select-xs w-32 border-rule bg-base-100" value={machineId} onChange={(event) => setMachine(Number(event.target.value))}>
            {machines.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>the list</Trans>{" "}
          <input className="input input-xs w-12 border-rule bg-base-100 text-right" inputMode="decimal" value={rounds} onChange={(event) => setRounds(event.target.value)} /> <Trans>times a week</Trans>
        </label>
        <button type="submit" className="btn btn-outline btn-xs font-normal" disabled={!(rounds_a_week > 0) || work.busy}>
          <Trans>Work it out</Trans>
        </button>
      </form>
      <JobBar work={work} what={t`Printing the list with each nozzle and hot end`} />
      {now && (
        <table className="mt-2 w-full tabular-nums">
          <thead className="text-right text-quiet">
            <tr>
              <th className="text-left font-normal"><Trans>Fitted</Trans></th>
              <th className="font-normal"><Trans>h a list</Trans></th>
              <th className="font-normal">g</th>
              <th className="font-normal"><Trans>saved, h a week</Trans></th>
            </tr>
          </thead>
          <tbody className="text-right">
            {ways.map((way, at) => (
              <tr key={way.label} className="border-t border-base-300 align-top" title={way.source}>
                <th scope="row" className="text-left font-normal">
                  {way.label}
                  {way.problems.map((problem) => (
                    <span key={problem} className="block text-xs text-warning">
                      {problem}
                    </span>
                  ))}
                </th>
                <td>{fixed(way.hours, 1)}</td>
                <td>{formatGrams(way.filament_g)}</td>
                <td>{at === 0 ? "" : way.problems.length > 0 ? t`not all can be printed` : plain(Math.round(way.saved_h_a_week * 10) / 10)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
