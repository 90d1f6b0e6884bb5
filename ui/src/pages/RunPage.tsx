import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { usePrints } from "../api/prints";
import { QueueAgain } from "../features/day/QueueAgain";
import { Live } from "../features/sending/Live";
import { api, take, type Photo, type Run } from "../api/client";
import { runChanged, runKeys, useFaults, useRun } from "../api/runs";
import { useHistory, type Step } from "../components/history";
import { useToast } from "../components/Toasts";
import { Outcome } from "../features/log/RunList";
import { PrintedWith } from "../features/log/PrintedWith";
import { FaultMark } from "../features/run/FaultMark";
import { fixed, formatDuration, formatDurationDifference, formatGrams, formatGramsDifference, hourOf, moment } from "../lib/format";

/** One run: what was predicted, what came of it, and all that it was printed with. */
export default function RunPage() {
  const runId = Number(useParams().runId);
  const run = useRun(runId);
  useEffect(() => {
    document.title = run.data ? `#${run.data.id} ${run.data.name} · Mean Bead` : t`Run · Mean Bead`;
  }, [run.data]);
  if (run.isLoadingError) return <p className="py-10 text-error">{run.error.message}</p>;
  if (run.data === undefined) return <p className="py-10 text-quiet"><Trans>Opening the run …</Trans></p>;
  return <Opened run={run.data} />;
}

function Opened({ run }: { run: Run }) {
  const faults = useFaults().data ?? [];
  const frozen = run.snapshot;
  const followed = usePrints().data?.find((one) => one.run_id === run.id && one.state !== "handed");
  return (
    <div className="py-5">
      <p className="text-sm">
        <Link to="/log" className="underline">
          <Trans>Log</Trans>
        </Link>
        {run.part_id != null && (
          <>
            {" · "}
            <Link to={`/parts/${run.part_id}/runs`} className="underline">
              {run.name}
            </Link>
          </>
        )}
      </p>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="font-serif text-3xl">
          <span className="text-quiet">#{run.id}</span> {run.name}
        </h1>
        <span className="text-lg">
          <Outcome state={run.state} />
        </span>
        {run.state === "running" && run.plates === 1 && run.prediction && !followed && <Until startedAt={run.started_at} predicted={run.prediction} />}
        {run.removed && <span className="text-warning"><Trans>deleted</Trans></span>}
      </div>
      <p className="text-quiet">
        {[run.column_name, moment(run.started_at), run.machine_name, run.nozzle_name, run.material_name, run.who].filter(Boolean).join(" · ")}
        {run.plates > 1 && t` · ${run.plates} plates`}
        {run.copies > 1 && t` of ${run.copies}`}
        {run.imported && t` · brought from a file`}
      </p>
      {followed && run.state === "running" && (
        <div className="mt-4 max-w-4xl">
          <Live print={followed} />
        </div>
      )}
      <Deeds run={run} />
      <div className="mt-5 grid gap-x-10 gap-y-6 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
        <section aria-labelledby="came">
          <h2 id="came" className="font-serif text-2xl">
            <Trans>What came of it</Trans>
          </h2>
          <Figures run={run} />
          {run.faults.length > 0 && (
            <ul className="mt-3 flex flex-wrap gap-4">
              {run.faults.map((key) => (
                <li key={key} className="flex items-center gap-2">
                  <FaultMark fault={key} />
                  {faults.find((fault) => fault.key === key)?.name ?? key}
                </li>
              ))}
            </ul>
          )}
          {run.entry.note && <p className="mt-3 max-w-prose">“{run.entry.note}”</p>}
          {run.photos.length > 0 && (
            <ul className="mt-3 flex flex-wrap gap-2">
              {run.photos.map((photo) => (
                <li key={photo.id}>
                  <a href={photo.photo} target="_blank" rel="noreferrer">
                    <img src={photo.thumbnail} alt={t`Photo ${photo.id} of run ${run.id}`} className="h-28 w-28 object-cover" />
                  </a>
                  <TakeOut run={run} photo={photo} />
                </li>
              ))}
            </ul>
          )}
          <Tries run={run} />
        </section>
        <PrintedWith run={run} frozen={frozen} />
      </div>
    </div>
  );
}

/** When it ends, as was predicted when it started: heating and start routine come before the printing. */
function Until({ startedAt, predicted }: { startedAt: string; predicted: NonNullable<Run["prediction"]> }) {
  const before_s = predicted.whole_time_s - predicted.print_time_s;
  const end = (print_s: number) => new Date(new Date(startedAt).getTime() + 1000 * (before_s + print_s));
  const latest = end(predicted.interval.high_s);
  return (
    <span className="text-quiet">
      {latest < new Date()
        ? t`was to end by ${hourOf(latest)} at the latest`
        : t`until about ${hourOf(end(predicted.interval.expected_s ?? predicted.print_time_s))}, predicted between ${hourOf(end(predicted.interval.low_s))} and ${hourOf(latest)}`}
    </span>
  );
}

function Figures({ run }: { run: Run }) {
  const predicted = run.prediction;
  const stopped = run.entry.stopped_layer != null ? t`at layer ${run.entry.stopped_layer}` : run.entry.stopped_min != null ? t`after ${run.entry.stopped_min} min` : "";
  const booked = run.booked as { by?: string; grams?: number; hours?: number; spool?: { grams: number } };
  return (
    <table className="mt-1 w-full max-w-xl text-left">
      <thead className="text-sm text-quiet">
        <tr>
          <th />
          <th className="font-normal"><Trans>real</Trans></th>
          <th className="font-normal"><Trans>predicted then</Trans></th>
          <th className="font-normal"><Trans>off by</Trans></th>
        </tr>
      </thead>
      <tbody>
        <tr className="border-t border-rule">
          <th className="py-1 font-normal"><Trans>Printing</Trans></th>
          <td className="font-serif text-2xl">{run.real_s != null ? formatDuration(run.real_s) : <span className="font-sans text-base text-quiet">{run.state === "stopped" ? t`stopped ${stopped}` : t`not read`}</span>}</td>
          <td>
            {run.predicted_s != null ? formatDuration(run.predicted_s) : t`not predicted`}
            {predicted && (
              <span className="block text-xs text-quiet" title={predicted.interval.basis}>
                <Trans>{formatDuration(predicted.interval.low_s)} to {formatDuration(predicted.interval.high_s)}</Trans>
              </span>
            )}
          </td>
          <td>
            {run.real_s != null && run.predicted_s != null && (
              <>
                {formatDurationDifference(run.real_s - run.predicted_s)}
                <span className="block text-xs text-quiet">{fixed(100 * (run.real_s / run.predicted_s - 1), 1)} %</span>
              </>
            )}
          </td>
        </tr>
        <tr className="border-t border-rule">
          <th className="py-1 font-normal"><Trans>Plastic</Trans></th>
          <td className="font-serif text-2xl">{run.weight_g != null ? formatGrams(run.weight_g) : <span className="font-sans text-base text-quiet"><Trans>not weighed</Trans></span>}</td>
          <td>{run.predicted_g != null ? formatGrams(run.predicted_g) : ""}</td>
          <td>{run.weight_g != null && run.predicted_g != null && formatGramsDifference(run.weight_g - run.predicted_g)}</td>
        </tr>
        <tr className="border-t border-rule">
          <th className="py-1 font-normal"><Trans>Looks</Trans></th>
          <td colSpan={3}>{run.looks != null ? t`${run.looks} of 5` : <span className="text-quiet"><Trans>not said</Trans></span>}</td>
        </tr>
        <tr className="border-t border-rule text-sm text-quiet">
          <td />
          <td colSpan={3} className="py-1">
            {run.real_says && <span className="block"><Trans>Time {run.real_says}.</Trans></span>}
            {booked.grams !== undefined && (
              <span className="block">
                {run.imported ? "" : t`Booked: ${booked.spool ? t`${formatGrams(booked.spool.grams)} off the spool, ${booked.by ?? ""}` : t`nothing off a spool`}; ${fixed(booked.hours ?? 0, 1)} h on machine and nozzle.`}
              </span>
            )}
          </td>
        </tr>
      </tbody>
    </table>
  );
}

function TakeOut({ run, photo }: { run: Run; photo: Photo }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const path = { params: { path: { photo_id: photo.id } } };
  const refresh = () => queries.invalidateQueries({ queryKey: runKeys.run(run.id) });
  const takeOut = async () => {
    let { version } = photo;
    const gone = async () => {
      version = take(await api.POST("/api/run-photos/{photo_id}/delete", { ...path, body: { version } })).version;
      await refresh();
    };
    const back = async () => {
      version = take(await api.POST("/api/run-photos/{photo_id}/restore", path)).version;
      await refresh();
    };
    await gone();
    const step: Step = { label: t`taking a photo out`, undo: back, redo: gone };
    history.push(step);
    toast(t`The photo was taken out.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
  };
  return (
    <button type="button" className="btn btn-ghost btn-xs font-normal text-quiet" aria-label={t`Take out photo ${photo.id}`} onClick={() => void takeOut().catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }))}>
      <Trans>Take out</Trans>
    </button>
  );
}

/** Say that a run was to do better than another one, where it was not started so. */
function Follows({ run }: { run: Run }) {
  const queries = useQueryClient();
  const history = useHistory();
  const [typed, setTyped] = useState("");
  const [problem, setProblem] = useState("");
  const path = { params: { path: { run_id: run.id } } };
  const save = async () => {
    const set = (follows_id: number | null) => async () => {
      const now = queries.getQueryData<Run>(runKeys.run(run.id)) ?? run;
      await runChanged(queries, take(await api.PATCH("/api/runs/{run_id}", { ...path, body: { version: now.version, follows_id } })));
    };
    const wanted = typed.trim() === "" ? null : Number(typed.replace("#", ""));
    if (wanted !== null && !Number.isInteger(wanted)) {
      setProblem(t`Type the number of the run, such as 12.`);
      return;
    }
    try {
      await set(wanted)();
      history.push({ label: t`what run ${run.id} follows`, undo: set(run.follows_id), redo: set(wanted) });
      setProblem("");
      setTyped("");
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <form
      className="mt-2 flex flex-wrap items-center gap-2 text-sm text-quiet"
      onSubmit={(event) => {
        event.preventDefault();
        void save();
      }}
    >
      <label>
        <Trans>It follows run #</Trans> <input className="input input-xs w-16 border-rule bg-base-100 text-base-content" inputMode="numeric" placeholder={run.follows_id == null ? t`none` : String(run.follows_id)} value={typed} onChange={(event) => setTyped(event.target.value)} />
      </label>
      <button type="submit" className="btn btn-outline btn-xs font-normal text-base-content" disabled={typed === "" && run.follows_id == null}>
        {typed === "" && run.follows_id != null ? t`It follows none` : t`Say so`}
      </button>
      {problem && (
        <span role="alert" className="text-error">
          {problem}
        </span>
      )}
    </form>
  );
}

function Tries({ run }: { run: Run }) {
  return (
    <div className="mt-4 border-t border-rule pt-2">
      {run.proof && run.follows_id != null && (
        <p>
          <Trans>
            After{" "}
            <Link className="underline" to={`/log/${run.follows_id}`}>
              #{run.follows_id}
            </Link>
            : {run.proof.says}
          </Trans>
        </p>
      )}
      <p className="mt-1 flex flex-wrap gap-3">
        {run.faults.length > 0 && (
          <Link className="btn btn-accent btn-sm font-normal" to={`/log/${run.id}/causes`}>
            <Trans>Find the cause</Trans>
          </Link>
        )}
        {run.faults.length === 0 && run.machine_id != null && (
          <Link className="btn btn-outline btn-sm font-normal" to={`/log/${run.id}/causes`}>
            <Trans>What changed since the last good run</Trans>
          </Link>
        )}
        {(run.follows_id != null || run.followed_by.length > 0) && (
          <Link className="btn btn-outline btn-sm font-normal" to={`/log/${run.id}/chain`}>
            <Trans>The chain of tries</Trans>
          </Link>
        )}
      </p>
      {!run.removed && <Follows run={run} />}
    </div>
  );
}

function Deeds({ run }: { run: Run }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const navigate = useNavigate();
  const path = { params: { path: { run_id: run.id } } };
  const say = (error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" });
  const remove = async () => {
    let version = run.version;
    const gone = async () => runChanged(queries, take(await api.POST("/api/runs/{run_id}/delete", { ...path, body: { version } })));
    const back = async () => {
      const now = take(await api.POST("/api/runs/{run_id}/restore", path));
      version = now.version;
      await runChanged(queries, now);
    };
    await gone();
    const step: Step = { label: t`deleting run ${run.id}`, undo: back, redo: gone };
    history.push(step);
    toast(t`Run ${run.id} was deleted; what it took off the shelf is given back.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
    void navigate("/log");
  };
  return (
    <p className="mt-2 flex flex-wrap items-center gap-3 text-sm">
      {!run.removed && (
        <a className={`btn btn-sm font-normal ${run.state === "running" ? "btn-primary" : "btn-outline"}`} href={`/run/${run.id}`}>
          {run.state === "running" ? t`Enter what happened` : t`Change the entry`}
        </a>
      )}
      {run.recipe_id != null && run.state !== "running" && <QueueAgain runId={run.id} />}
      <Link className="underline" to={`/log/labels?runs=${run.id}`}>
        <Trans>Print its label</Trans>
      </Link>
      {run.recipe_id != null && run.part_id != null && (
        <Link className="underline" to={`/parts/${run.part_id}`}>
          <Trans>To the bench</Trans>
        </Link>
      )}
      {!run.removed && (
        <button type="button" className="btn btn-ghost btn-xs font-normal text-quiet" onClick={() => void remove().catch(say)}>
          <Trans>Delete</Trans>
        </button>
      )}
    </p>
  );
}
