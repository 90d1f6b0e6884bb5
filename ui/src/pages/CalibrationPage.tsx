import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take, type Calibration, type CalibrationHead } from "../api/client";
import { limitsChanged, useCalibration, useCalibrations } from "../api/learning";
import { useJob } from "../api/jobs";
import { JobBar } from "../components/JobBar";
import { useToast } from "../components/Toasts";
import { Factors } from "../features/learn/Factors";
import { LimitsPanel } from "../features/learn/LimitsPanel";
import { Points } from "../features/learn/Points";
import { LogTabs } from "../features/log/LogTabs";
import { formatDuration, percent, plain } from "../lib/format";

/** What a machine's real times teach: how far its estimates are off, by what, and what would teach more. */
export default function CalibrationPage() {
  const machines = useCalibrations();
  const [asked, setAsked] = useSearchParams();
  useEffect(() => {
    document.title = t`Calibration · Mean Bead`;
  }, []);
  const wanted = Number(asked.get("machine")) || undefined;
  const most = machines.data?.reduce<CalibrationHead | undefined>((best, one) => (best === undefined || one.runs > best.runs ? one : best), undefined);
  const chosen = machines.data?.find((one) => one.machine_id === wanted) ?? most;
  const found = useCalibration(chosen?.machine_id);
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Calibration</Trans></h1>
        <LogTabs />
      </div>
      {machines.isLoadingError && <p className="mt-3 text-error">{machines.error.message}</p>}
      {machines.data && (
        <div className="mt-3 flex flex-wrap items-baseline gap-x-6 gap-y-1" role="group" aria-label={t`Machine`}>
          {machines.data.map((one) => (
            <button
              key={one.machine_id}
              type="button"
              aria-pressed={one.machine_id === chosen?.machine_id}
              className={`cursor-pointer border-b-2 pb-0.5 text-left ${one.machine_id === chosen?.machine_id ? "border-molten" : "border-transparent hover:border-rule"}`}
              onClick={() => setAsked({ machine: String(one.machine_id) }, { replace: true })}
            >
              <span className="font-semibold">{one.machine_name}</span>{" "}
              <span className="text-sm text-quiet">
                <Plural value={one.runs} one="# run" other="# runs" />
                {one.before > 0 && t`, ${one.before} before it was changed`}
              </span>
            </button>
          ))}
          <Link className="ml-auto text-sm underline" to="/log/machines">
            <Trans>Two machines, one part</Trans>
          </Link>
        </div>
      )}
      {found.data && found.data.head.machine_id === chosen?.machine_id && <Machine key={found.data.head.machine_id} calibration={found.data} />}
    </div>
  );
}

function Machine({ calibration }: { calibration: Calibration }) {
  const { head, teaches } = calibration;
  return (
    <div className="mt-3 grid grid-cols-1 gap-x-10 lg:grid-cols-[minmax(0,6fr)_minmax(0,5fr)]">
      <div className="min-w-0">
        <Sentence head={head} calibration={calibration} />
        <Again calibration={calibration} />
        {calibration.points.length > 0 && <Points points={calibration.points} eras={calibration.eras.map((era) => ({ number: era.number, since: era.since ?? null }))} />}
        <Odd calibration={calibration} />
        <Teaches calibration={calibration} />
        <Eras calibration={calibration} />
      </div>
      <div className="min-w-0">
        <h2 className="font-serif text-xl"><Trans>Where its seconds go otherwise</Trans></h2>
        <Factors factors={calibration.factors} />
        <p className="mt-1 text-xs text-quiet">
          <Trans>Bars are 90 % intervals, from half to twice as long as computed; the dashed line is as computed. Grey: these runs do not tell it apart yet. Like runs differ by {(100 * head.scatter).toFixed(1)} %.</Trans>
        </p>
        <LimitsPanel calibration={calibration} recipeId={teaches[0]?.recipe_id} />
        <Grams calibration={calibration} />
      </div>
    </div>
  );
}

function Sentence({ head, calibration }: { head: CalibrationHead; calibration: Calibration }) {
  const coverage = calibration.report.coverage_loo;
  if (head.runs === 0) {
    return (
      <p className="max-w-2xl text-lg">
        <Trans>No timed run of {head.machine_name} {head.before > 0 ? t`since it was changed` : t`is logged yet`}: its estimates rest on typical figures. <span className="text-quiet">Print something from a bench, and enter the time from the panel.</span></Trans>
      </p>
    );
  }
  return (
    <p className="max-w-2xl text-lg leading-snug">
      <Trans>{head.machine_name}’s real times typically differ by <strong>{percent1(head.off_computed)}</strong> from what is computed, and by <strong className="text-molten">{percent1(head.off_expected)}</strong> from what its other runs say.</Trans>
      {coverage != null && (
        <span className="block text-sm text-quiet">
          <Trans>{percent(coverage)} of its runs lay in the 90 % interval that all others give. Every estimate on {head.machine_name} now says “from <Plural value={head.runs} one="# run" other="# runs" />”.</Trans>
        </span>
      )}
    </p>
  );
}

const percent1 = (share: number | null | undefined) => (share == null ? "–" : `${(100 * share).toFixed(1)} %`);

/** Runs that were predicted with other limits than are described now are computed anew by themselves. */
function Again({ calibration }: { calibration: Calibration }) {
  const queries = useQueryClient();
  const { machine_id, stale } = calibration.head;
  const work = useJob(["again", machine_id, calibration.machine_version, stale], async () => take(await api.POST("/api/machines/{machine_id}/again", { params: { path: { machine_id } } })));
  const begun = useRef(false);
  const { start } = work;
  useEffect(() => {
    if (stale === 0 || begun.current) return;
    begun.current = true;
    start();
  }, [stale, start]);
  const state = work.job?.state;
  useEffect(() => {
    if (state === "done") void queries.invalidateQueries({ queryKey: ["learnt"] });
  }, [state, queries]);
  if (stale === 0) return null;
  return (
    <div className="mt-1 text-sm">
      <p className="text-quiet">
        <Trans><Plural value={stale} one="# run was" other="# runs were" /> predicted with other limits than are described now{state === "done" ? t`, and cannot be computed anew: their parts are gone or stand otherwise.` : t`; they are computed anew.`}</Trans>
      </p>
      <JobBar work={work} what={t`Computing runs anew`} />
    </div>
  );
}

function Odd({ calibration }: { calibration: Calibration }) {
  const odd = calibration.points.filter((point) => point.odd);
  if (odd.length === 0) return null;
  return (
    <p className="mt-2 text-sm">
      <Trans><Plural value={odd.length} one="One run does" other="# runs do" /> not fit the others, and hardly count (a pause, or a wrong time):</Trans>{" "}
      {odd.map((point, place) => (
        <span key={point.run_id}>
          {place > 0 && ", "}
          <Link className="underline" to={`/log/${point.run_id}`}>
            <Trans>{point.part}, {formatDuration(point.real_s)} for {formatDuration(point.predicted_s)}</Trans>
          </Link>
        </span>
      ))}
    </p>
  );
}

function Eras({ calibration }: { calibration: Calibration }) {
  const queries = useQueryClient();
  const toast = useToast();
  const correct = useMutation({
    mutationFn: async ({ id, version }: { id: number; version: number }) =>
      take(await api.PATCH("/api/journal/{entry_id}", { params: { path: { entry_id: id } }, body: { version, kind: "limits_corrected" } })),
    onSuccess: (entry) => {
      toast(t`Its runs before that count again.`, {
        action: {
          label: t`Undo`,
          run: () => void api.PATCH("/api/journal/{entry_id}", { params: { path: { entry_id: entry.id } }, body: { version: entry.version, kind: "limits_changed" } }).then(() => limitsChanged(queries)),
        },
      });
      return limitsChanged(queries);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const changes = calibration.eras.filter((era) => era.since != null);
  if (changes.length === 0) return null;
  return (
    <section aria-labelledby="eras" className="mt-4 text-sm">
      <h2 id="eras" className="font-serif text-xl">
        <Trans>Eras</Trans>
      </h2>
      <p className="text-quiet"><Trans>When its firmware’s limits are changed a machine is another one: what it taught before no longer counts.</Trans></p>
      <ul className="mt-1 divide-y divide-rule border-y border-rule">
        {changes.map((era) => (
          <li key={era.number} className="flex flex-wrap items-baseline gap-x-3 py-1">
            <span>
              <Trans>since {new Date(era.since ?? "").toLocaleDateString()}: {era.name}, <Plural value={era.runs} one="# run" other="# runs" /></Trans>
            </span>
            <button type="button" className="btn btn-ghost btn-xs ml-auto font-normal" disabled={correct.isPending} onClick={() => correct.mutate({ id: era.entry_id ?? 0, version: era.entry_version ?? 0 })}>
              <Trans>Only its description was corrected</Trans>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Grams({ calibration }: { calibration: Calibration }) {
  if (calibration.grams.length === 0) return null;
  return (
    <section aria-labelledby="grams" className="mt-6 text-sm">
      <h2 id="grams" className="font-serif text-xl">
        <Trans>Weighed against computed</Trans>
      </h2>
      <table className="mt-1 w-full max-w-xl">
        <thead className="text-left text-quiet">
          <tr>
            <th scope="col" className="font-normal"><Trans>Plastic</Trans></th>
            <th scope="col" className="text-right font-normal"><Trans>comes out</Trans></th>
            <th scope="col" className="pl-4 text-right font-normal"><Trans>of that the drive</Trans></th>
            <th scope="col" className="pl-4 text-right font-normal"><Trans>the plastic</Trans></th>
          </tr>
        </thead>
        <tbody>
          {calibration.grams.map((one) => (
            <tr key={one.plastic} className="border-t border-rule">
              <th scope="row" className="py-1 text-left font-normal">
                {one.plastic} <span className="text-quiet"><Trans>({one.weighed} weighed)</Trans></span>
              </th>
              <td className="text-right font-semibold">{share(one.ratio)}</td>
              <td className="pl-4 text-right text-quiet" title={t`${share(one.flow.low)} to ${share(one.flow.high)}`}>
                {share(one.flow.value)}
              </td>
              <td className="pl-4 text-right text-quiet" title={t`${share(one.density.low)} to ${share(one.density.high)}`}>
                {share(one.density.value)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-xs text-quiet"><Trans>A drive that gives less than told shows in all its plastics, a wrong density on all machines. Correct flow ratio or density on the shelf, or leave it: estimates say what to expect.</Trans></p>
    </section>
  );
}

const share = (ratio: number) => `${plain(Math.round(1000 * ratio) / 10)} %`;

function Teaches({ calibration }: { calibration: Calibration }) {
  if (calibration.teaches.length === 0) return null;
  const most = Math.max(...calibration.teaches.map((one) => one.narrower), 1e-6);
  return (
    <section aria-labelledby="teaches" className="mt-6 text-sm">
      <h2 id="teaches" className="font-serif text-xl">
        <Trans>What would teach most</Trans>
      </h2>
      <p className="text-quiet"><Trans>By how much one more timed run of a part would narrow the intervals of all parts on {calibration.head.machine_name}.</Trans></p>
      <ul className="mt-1 space-y-1">
        {calibration.teaches.map((one) => (
          <li key={one.recipe_id} className="grid grid-cols-[minmax(0,1fr)_6rem_4rem] items-center gap-3">
            <Link className="truncate underline-offset-4 hover:underline" to={`/parts/${one.part_id}`}>
              {one.part} <span className="text-quiet">{one.column}, {formatDuration(one.print_time_s)}</span>
            </Link>
            <svg viewBox="0 0 100 8" aria-hidden>
              <path d={`M0 4H${Math.max(1, (100 * one.narrower) / most)}`} stroke="var(--quiet)" strokeWidth="6" />
            </svg>
            <span className="text-right">{percent1(one.narrower)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
