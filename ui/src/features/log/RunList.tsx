import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import type { Fault, RunHead } from "../../api/client";
import { fixed, formatDuration, formatGrams, moment, percent } from "../../lib/format";
import { FaultMark } from "../run/FaultMark";

interface RunListProps {
  runs: readonly RunHead[];
  faults: readonly Fault[];
  /** On a part's own page its name goes without saying. */
  named?: boolean;
  best?: number;
  picked?: readonly number[];
  onPick?: (id: number, on: boolean) => void;
}

/** Runs as lines of a logbook. */
export function RunList({ runs, faults, named = true, best, picked, onPick }: RunListProps) {
  const names = new Map(faults.map((fault) => [fault.key, fault.name]));
  return (
    <ul className="divide-y divide-rule border-y border-rule">
      {runs.map((run) => (
        <li key={run.id} className="relative grid grid-cols-[auto_1fr_auto] items-baseline gap-x-3 py-2 hover:bg-base-200 md:grid-cols-[auto_minmax(0,1fr)_9rem_5.5rem]">
          <span className="flex items-baseline gap-2 text-sm text-quiet">
            {onPick && (
              <input type="checkbox" className="checkbox checkbox-xs relative z-10 translate-y-0.5" aria-label={t`Label for run ${run.id}`} checked={picked?.includes(run.id) ?? false} onChange={(event) => onPick(run.id, event.target.checked)} />
            )}
            <span className="w-10 text-right">#{run.id}</span>
          </span>
          <span className="min-w-0">
            <Link to={`/log/${run.id}`} className="font-semibold after:absolute after:inset-0 hover:underline">
              {named ? run.name : run.column_name || run.name}
            </Link>
            {run.id === best && <span className="ml-2 text-sm text-molten"><Trans>best kept</Trans></span>}
            {named && run.column_name && <span className="ml-2 text-sm text-quiet">{run.column_name}</span>}
            {run.faults.map((fault) => (
              <span key={fault} className="ml-3 inline-flex translate-y-1.5 items-center gap-1 text-sm">
                <FaultMark fault={fault} size={24} />
                {names.get(fault) ?? fault}
              </span>
            ))}
            <span className="block truncate text-sm text-quiet">
              {[moment(run.started_at), run.machine_name, run.nozzle_name, run.material_name].filter(Boolean).join(" · ")}
              {run.plates > 1 && t` · ${run.plates} plates`}
              {run.note && ` · “${run.note}”`}
            </span>
          </span>
          <span className="col-start-2 row-start-2 text-sm md:col-start-auto md:row-start-auto md:text-right">
            <RealAgainst predicted_s={run.predicted_s} real_s={run.real_s} />
            <span className="ml-2 text-quiet md:ml-0 md:block">{run.weight_g != null ? formatGrams(run.weight_g) : run.predicted_g != null ? t`${formatGrams(run.predicted_g)} predicted` : ""}</span>
          </span>
          <span className="text-right text-sm">
            <Outcome state={run.state} />
            {run.stopped_layer != null ? <span className="block text-quiet"><Trans>at layer {run.stopped_layer}</Trans></span> : run.stopped_min != null && <span className="block text-quiet"><Trans>after {formatDuration(60 * run.stopped_min)}</Trans></span>}
            {run.looks != null && (
              <span className="block text-quiet" title={t`Looks, of 5`}>
                <Trans>looks {run.looks}</Trans>
              </span>
            )}
          </span>
        </li>
      ))}
    </ul>
  );
}

const WORDS: Record<RunHead["state"], [sign: string, word: string, tone: string]> = {
  running: ["▷", t`running`, "text-molten"],
  kept: ["✓", t`kept`, ""],
  scrapped: ["✗", t`scrapped`, "text-error"],
  stopped: ["◼", t`stopped`, "text-error"],
};

export function Outcome({ state }: { state: RunHead["state"] }) {
  const [sign, word, tone] = WORDS[state];
  return (
    <span className={tone}>
      <span aria-hidden="true">{sign}</span> {word}
    </span>
  );
}

/** The real time where it is known, and by how much it is off what was predicted. */
export function RealAgainst({ predicted_s, real_s }: { predicted_s: number | null; real_s: number | null }) {
  if (real_s === null) return <span className="text-quiet">{predicted_s === null ? "" : t`${formatDuration(predicted_s)} predicted`}</span>;
  return (
    <span>
      <strong className="font-semibold">{formatDuration(real_s)}</strong>
      {predicted_s !== null && predicted_s > 0 && (
        <span className="relative z-10 ml-1 text-quiet" title={t`${formatDuration(real_s)} real ÷ ${formatDuration(predicted_s)} predicted when it was started = ${percent(real_s / predicted_s)}`}>
          {real_s >= predicted_s ? "+" : "−"}
          {fixed(Math.abs(100 * (real_s / predicted_s - 1)), 0)} %
        </span>
      )}
    </span>
  );
}
