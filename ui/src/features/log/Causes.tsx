import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take, type FaultCauses, type Fault, type Run, type Suspect } from "../../api/client";
import { keys } from "../../api/queries";
import { runKeys, usePrice } from "../../api/runs";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { formatDurationDifference, formatGramsDifference, percent, plain } from "../../lib/format";
import { FaultMark } from "../run/FaultMark";

const SHOWN = 4;

/** The likely causes of one fault, the likeliest first. */
export function Causes({ found, run, faults }: { found: FaultCauses; run: Run; faults: readonly Fault[] }) {
  const [all, setAll] = useState(false);
  const { fault } = found;
  return (
    <section aria-labelledby={`causes-${fault.key}`} className="mt-6">
      <div className="flex items-center gap-3">
        <FaultMark fault={fault.key} size={56} />
        <div>
          <h2 id={`causes-${fault.key}`} className="font-serif text-2xl">
            <Trans>2. {fault.name}: the likely causes</Trans>
          </h2>
          <p className="text-sm text-quiet">
            {fault.looks} {fault.mistaken.map((other) => t`Not ${faults.find((one) => one.key === other.fault)?.name.toLowerCase() ?? other.fault}? ${other.tell}`).join(" ")}
          </p>
        </div>
      </div>
      {fault.caution && <p className="mt-1 border-l-4 border-warning pl-2 text-sm">{fault.caution}</p>}
      <ol className="mt-2">
        {(all ? found.causes : found.causes.slice(0, SHOWN)).map((cause, at) => (
          <Cause key={cause.cause} cause={cause} fault={fault.key} run={run} place={at + 1} />
        ))}
      </ol>
      {found.causes.length > SHOWN && (
        <button type="button" className="btn btn-ghost btn-sm font-normal" aria-expanded={all} onClick={() => setAll(!all)}>
          {all ? t`Only the likeliest` : t`${found.causes.length - SHOWN} less likely ones`}
        </button>
      )}
    </section>
  );
}

const STANDING: Record<Suspect["standing"], string> = {
  beyond: t`speaks for it`,
  near: t`is near its limit`,
  within: t`gives no sign of it`,
  unknown: t`says nothing of it`,
};

function Cause({ cause, fault, run, place }: { cause: Suspect; fault: string; run: Run; place: number }) {
  const price = usePrice(run.id, fault, cause.cause, cause.settings.length > 0);
  return (
    <li className="grid gap-x-6 gap-y-1 border-t border-rule py-3 md:grid-cols-[2rem_minmax(0,1fr)_17rem]">
      <span className="hidden font-serif text-2xl text-quiet md:block">{place}</span>
      <div>
        <h3 className="font-semibold">
          {cause.name}
          <span className="ml-2 text-sm font-normal text-quiet" title={t`${percent(cause.prior)} by judgement, worth four tries; ${cause.cured} of ${cause.tried} tries here cured it`}>
            {percent(cause.chance)} {cause.tried > 0 ? t`by judgement and ${plural(cause.tried, { one: "one try", other: "# tries" })} here, ${cause.cured === 0 ? t`none` : cause.cured} of which cured it` : t`by judgement`}
            {cause.standing !== "unknown" && t`; this run ${STANDING[cause.standing]}`}
          </span>
        </h3>
        <p>{cause.why}</p>
        {cause.in_vain != null && (
          <p className="text-sm">
            <Trans>Tried already in this chain:</Trans> {cause.in_vain === run.id ? t`this run` : <Link className="underline" to={`/log/${cause.in_vain}`}>#{cause.in_vain}</Link>} <Trans>still had the fault.</Trans>
          </p>
        )}
        <Evidence cause={cause} />
        <p className="text-sm text-quiet"><Trans>To find out: {cause.test}</Trans></p>
        {cause.caution && <p className="mt-1 border-l-4 border-warning pl-2 text-sm">{cause.caution}</p>}
      </div>
      <div className="md:text-right">
        {cause.changes.length > 0 ? (
          <>
            {cause.changes.map((change) => (
              <p key={change}>{change}</p>
            ))}
            <p className="text-sm text-quiet" aria-live="polite">
              {price.data ? `${formatDurationDifference(price.data.print_s)}, ${formatGramsDifference(price.data.filament_g)}` : price.isError ? price.error.message : t`pricing …`}
            </p>
            <TryIt cause={cause} fault={fault} run={run} />
          </>
        ) : (
          <p className="text-sm">{cause.cure}</p>
        )}
        {cause.journal && <NoteIt cause={cause} run={run} />}
      </div>
    </li>
  );
}

function Evidence({ cause }: { cause: Suspect }) {
  const value = typeof cause.value === "number" ? plain(cause.value) : cause.value;
  return (
    <div className="text-sm">
      {value != null && cause.looks_at && (
        <p>
          <span className="text-quiet">{cause.looks_at}:</span> <strong className="font-semibold">{value.replace(/_/g, " ")}</strong>
          {cause.limit != null && t` against ${plain(cause.limit)}, ${cause.limit_name}`}.
        </p>
      )}
      {cause.says.map((sentence) => (
        <p key={sentence}>{sentence}</p>
      ))}
      {cause.where.length > 0 && <p className="text-quiet"><Trans>Where: {cause.where.map((spot) => spot.sentence).slice(0, 3).join("; ")}</Trans></p>}
      {cause.others && (
        <p className="text-quiet">
          <Trans>
            Other runs here: {cause.others.with_count > 0 ? t`${cause.others.with_count} with this fault at ${plain(cause.others.with_middle)}` : t`none with this fault`}
            {cause.others.without_count > 0 ? t`, ${cause.others.without_count} without it at ${plain(cause.others.without_middle)}` : ""} (middle).
          </Trans>
        </p>
      )}
    </div>
  );
}

function TryIt({ cause, fault, run }: { cause: Suspect; fault: string; run: Run }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const toast = useToast();
  const history = useHistory();
  const make = useMutation({
    mutationFn: async () => take(await api.POST("/api/runs/{run_id}/causes/try", { params: { path: { run_id: run.id } }, body: { fault, cause: cause.cause } })),
    onSuccess: async (made) => {
      const path = { params: { path: { recipe_id: made.recipe_id } } };
      let version = 1;
      const refresh = () => queries.invalidateQueries({ queryKey: keys.columns(made.part_id) });
      history.push({
        label: t`the column ${made.name}`,
        undo: async () => {
          version = take(await api.POST("/api/recipes/{recipe_id}/delete", { ...path, body: { version } })).version;
          await refresh();
        },
        redo: async () => {
          version = take(await api.POST("/api/recipes/{recipe_id}/restore", path)).version;
          await refresh();
        },
      });
      await refresh();
      void navigate(`/parts/${made.part_id}`);
      toast(t`“${made.name}” is on the bench: print it, and the run follows #${run.id}.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <button type="button" className="btn btn-outline btn-sm mt-1 font-normal" aria-label={t`Take as a new column: ${cause.name}`} disabled={make.isPending} onClick={() => make.mutate()}>
      {make.isPending ? t`Making it …` : t`Take as a new column`}
    </button>
  );
}

/** A cure that no setting brings is done by hand, and noted. */
function NoteIt({ cause, run }: { cause: Suspect; run: Run }) {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const note = useMutation({
    mutationFn: async () =>
      take(
        await api.POST("/api/journal", {
          body: { key: crypto.randomUUID(), kind: cause.journal as never, machine_id: run.machine_id, ...(cause.kind === "plastic" && run.spool_id != null ? { spool_id: run.spool_id } : {}) },
        }),
      ),
    onSuccess: async (entry) => {
      const path = { params: { path: { entry_id: entry.id } } };
      let version = entry.version;
      const refresh = () => queries.invalidateQueries({ queryKey: runKeys.journal });
      history.push({
        label: entry.name,
        undo: async () => {
          version = take(await api.POST("/api/journal/{entry_id}/delete", { ...path, body: { version } })).version;
          await refresh();
        },
        redo: async () => {
          version = take(await api.POST("/api/journal/{entry_id}/restore", path)).version;
          await refresh();
        },
      });
      await refresh();
      toast(t`Noted: ${entry.name}. Print the same again, and say that it follows #${run.id}.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  if (run.machine_id == null && run.spool_id == null) return null;
  return (
    <p className="mt-1 text-sm">
      <button type="button" className="btn btn-outline btn-sm font-normal" aria-label={t`Note it as done: ${cause.name}`} disabled={note.isPending} onClick={() => note.mutate()}>
        <Trans>Note it as done</Trans>
      </button>
      {run.part_id != null && (
        <Link className="ml-3 underline" to={`/parts/${run.part_id}?follows=${run.id}`}>
          <Trans>and print again</Trans>
        </Link>
      )}
    </p>
  );
}
