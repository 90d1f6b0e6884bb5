import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import type { Day } from "../../api/client";
import { usePlanning, usePlanningJob, useReplanning } from "../../api/day";
import { fixed, formatMoney } from "../../lib/format";
import { clock } from "./board";

/** What the plan comes to, how good it can be at best, and what is planned just now. */
export function Planning({ day, may }: { day: Day; may: boolean }) {
  useReplanning(day, may);
  const again = usePlanning();
  const job = usePlanningJob(day.job_id);
  const { score } = day;
  return (
    <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
      {score && score.runs > 0 && (
        <p className="font-serif text-xl">
          <Trans>
            <Plural value={score.pieces} one="# piece" other="# pieces" /> by {day.runs.length > 0 ? clock(new Date(Math.max(...day.runs.map((run) => Date.parse(run.end))))) : t`now`},{" "}
            <span className={score.late > 0 ? "text-error" : ""}>{score.late === 0 ? t`nothing late` : t`${score.late} late`}</span>
          </Trans>
          {day.unplaced.length > 0 && <span className="text-error"><Trans>, {day.unplaced.length} without a place</Trans></span>}
        </p>
      )}
      {score && score.runs > 0 && (
        <p className="text-sm text-quiet">
          <Trans>{score.nozzle_swaps} nozzle and {score.spool_swaps} spool changes · {fixed(score.alone_h, 1)} h of long prints alone · {formatMoney(score.energy_cost)} of power. {day.bound_says}</Trans>
        </p>
      )}
      <p className="ml-auto flex items-center gap-3 text-sm text-quiet" role="status">
        {job !== undefined && day.job_id != null ? (
          <>
            <progress className="progress progress-accent w-28" aria-label={t`Planning`} value={job.share} max={1} /> {job.doing || t`planning`}
          </>
        ) : (
          day.made_at && t`planned ${clock(day.made_at)}`
        )}
        <button type="button" className="btn btn-outline btn-xs min-h-7 font-normal" disabled={!may || again.isPending || day.job_id != null} onClick={() => again.mutate(30)}>
          <Trans>Plan anew</Trans>
        </button>
      </p>
      {job?.state === "failed" && <p className="text-sm text-error">{job.problem}</p>}
      {again.error && <p className="text-sm text-error">{again.error.message}</p>}
    </div>
  );
}

/** What has moved since the plan before, and what could not be kept. */
export function Notes({ day }: { day: Day }) {
  if (day.moved.length === 0 && day.notes.length === 0 && day.unplaced.length === 0) return null;
  return (
    <div className="mt-4 grid gap-x-10 gap-y-4 md:grid-cols-2">
      {(day.unplaced.length > 0 || day.notes.length > 0) && (
        <section aria-labelledby="unplaced">
          <h2 id="unplaced" className="font-serif text-xl">
            <Trans>Without a place</Trans>
          </h2>
          <ul className="text-sm">
            {day.unplaced.map((one) => (
              <li key={`${one.queue_id}-${one.plate}`}>
                <strong>
                  <Trans>{one.name}, plate {one.plate}:</Trans>
                </strong>{" "}
                {one.why}
              </li>
            ))}
            {day.notes.map((note) => (
              <li key={note}>{note}</li>
            ))}
          </ul>
        </section>
      )}
      {day.moved.length > 0 && (
        <section aria-labelledby="moved">
          <h2 id="moved" className="font-serif text-xl">
            <Trans>Moved since the plan before</Trans>
          </h2>
          <ul className="text-sm">
            {day.moved.slice(0, 12).map((one) => (
              <li key={`${one.job}-${one.copy_number}`}>
                <strong>
                  {one.job} {one.copy_number}:
                </strong>{" "}
                {one.says}
              </li>
            ))}
            {day.moved.length > 12 && <li className="text-quiet"><Trans>and {day.moved.length - 12} more</Trans></li>}
          </ul>
        </section>
      )}
    </div>
  );
}
