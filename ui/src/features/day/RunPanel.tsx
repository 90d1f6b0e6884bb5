import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { Link, useNavigate } from "react-router";
import { api, take, type BoardRun, type Day } from "../../api/client";
import { dayChanged, useReasons } from "../../api/day";
import { useToast } from "../../components/Toasts";
import { Explained } from "../../components/Explained";
import { formatDuration, formatGrams } from "../../lib/format";
import { clock } from "./board";

interface Props {
  day: Day;
  run: BoardRun;
  may: boolean;
  onPut: (run: BoardRun, machine_id: number, start: Date) => void;
  onRelease: (run: BoardRun) => void;
}

/** A run in words: when, with what, why here, why not there; and what can be done with it. */
export function RunPanel({ day, run, may, onPut, onRelease }: Props) {
  const told = useReasons(run, day.made_at);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const toast = useToast();
  const key = useRef(crypto.randomUUID());
  const start = useMutation({
    mutationFn: async () => take(await api.POST("/api/day/start", { body: { key: key.current, queue_id: run.queue_id, plate: run.plate } })),
    onSuccess: async (made) => {
      key.current = crypto.randomUUID();
      await dayChanged(queries);
      void navigate(`/log/${made.run_id}`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const machine = day.machines.find((one) => one.id === run.machine_id);
  const firstHere = !day.runs.some((one) => one.machine_id === run.machine_id && one.start < run.start);
  return (
    <section aria-labelledby="run" className="mt-4 grid gap-x-10 gap-y-3 border-t border-rule pt-3 md:grid-cols-[minmax(0,4fr)_minmax(0,5fr)_minmax(0,5fr)]">
      <div>
        <h2 id="run" className="font-serif text-2xl leading-tight">
          <Link className="hover:underline" to={`/parts/${run.part_id}`}>
            {run.name}
          </Link>
          {run.plates > 1 && (
            <span className="text-quiet">
              {" "}
              <Trans>{run.plate} of {run.plates}</Trans>
            </span>
          )}
        </h2>
        <p>
          <Trans>{clock(run.start)} to {clock(run.end)}</Trans>{" "}
          <span className="text-quiet">
            (
            <Explained side="bottom" how={t`Nine of ten such ends fall between these: what this machine's logged runs were off by, for this recipe and all that is ahead of it.`}>
              <Trans>{clock(run.low_end)} to {clock(run.high_end)}</Trans>
            </Explained>
            )
          </span>
        </p>
        <p className="text-sm text-quiet">
          <Trans>
            {run.recipe} on {run.machine}, {run.nozzle_mm} mm, {formatGrams(run.grams)} of {run.material}
            {run.spool && `: ${run.spool}`}
          </Trans>
        </p>
        {run.late_s > 0 && run.due_at && (
          <p className="text-sm text-error">
            <Trans>Due {clock(run.due_at)}: up to {formatDuration(run.late_s)} late.</Trans>
          </p>
        )}
        {run.alone_s > 8 * 3600 && (
          <p className="mt-1 text-sm text-warning">
            <Trans>It runs {formatDuration(run.alone_s)} with nobody there: smoke alarm, clear surroundings, and what maker and insurer ask for.</Trans>
          </p>
        )}
        <div className="mt-2 flex flex-wrap gap-2">
          <button type="button" className="btn btn-accent btn-sm font-normal" disabled={!firstHere || machine?.running != null || start.isPending} title={machine?.running ? t`${machine.running.name} is still on it` : firstHere ? undefined : t`Others go first on this machine`} onClick={() => start.mutate()}>
            <Trans>Start it now</Trans>
          </button>
          {firstHere && run.recipe_id != null && machine?.running == null && (
            <Link className="btn btn-outline btn-sm font-normal" to={`/parts/${run.part_id}/send?column=${run.recipe_id}&queue=${run.queue_id}&plate=${run.plate}`}>
              <Trans>Send it to the machine</Trans>
            </Link>
          )}
          {run.pinned ? (
            <button type="button" className="btn btn-outline btn-sm font-normal" disabled={!may} onClick={() => onRelease(run)}>
              <Trans>Let the plan place it</Trans>
            </button>
          ) : (
            <button type="button" className="btn btn-outline btn-sm font-normal" disabled={!may} onClick={() => onPut(run, run.machine_id, new Date(run.start))}>
              <Trans>Keep it here</Trans>
            </button>
          )}
        </div>
      </div>
      <div>
        <h3 className="font-semibold"><Trans>Why here</Trans></h3>
        <ul className="list-disc pl-4 text-sm">{told.data?.here.map((sentence) => <li key={sentence}>{sentence}</li>)}</ul>
        {told.isError && <p className="text-sm text-quiet">{told.error.message}</p>}
      </div>
      <div>
        <h3 className="font-semibold"><Trans>Why not there</Trans></h3>
        <ul className="text-sm">
          {told.data?.there.map((one) => (
            <li key={one.machine} className="py-0.5">
              <strong className="font-semibold">{one.machine}:</strong> {one.says}{" "}
              {one.possible && may && (
                <button
                  type="button"
                  className="btn btn-ghost btn-xs min-h-6 font-normal underline"
                  onClick={() => {
                    const target = day.machines.find((other) => other.name === one.machine);
                    if (target) onPut(run, target.id, new Date(run.start));
                  }}
                >
                  <Trans>put it there</Trans>
                </button>
              )}
            </li>
          ))}
          {told.data?.there.length === 0 && <li className="text-quiet"><Trans>There is no other machine.</Trans></li>}
        </ul>
      </div>
    </section>
  );
}
