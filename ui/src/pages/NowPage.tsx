import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, take, type Day, type DayTask } from "../api/client";
import { dayChanged, useDay } from "../api/day";
import { usePrints } from "../api/prints";
import { Live } from "../features/sending/Live";
import { useToast } from "../components/Toasts";
import { clock, until } from "../features/day/board";
import { DayTabs } from "../features/day/DayTabs";
import { Planning } from "../features/day/Planning";

const SOON_MS = 15 * 60_000;

/** What to do, in order, with the time until it matters. Made for a phone on the wall. */
export default function NowPage() {
  const day = useDay();
  const now = useNow();
  useEffect(() => {
    document.title = t`Now · Mean Bead`;
  }, []);
  const tasks = day.data?.tasks ?? [];
  const due = tasks.filter((task) => new Date(task.at).getTime() <= now + SOON_MS && !task.waits);
  const next = tasks.filter((task) => !due.includes(task)).slice(0, 14);
  return (
    <div className="mx-auto max-w-2xl py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Now</Trans></h1>
        <DayTabs />
      </div>
      {day.isLoadingError && <p className="mt-3 text-error">{day.error.message}</p>}
      {day.data && (
        <>
          <div className="mt-1 text-sm">
            <Planning day={day.data} may />
          </div>
          <ol className="mt-3 flex flex-col gap-3" aria-label={t`To do now`}>
            {due.map((task) => (
              <li key={taskKey(task)}>
                <Card task={task} day={day.data} now={now} />
              </li>
            ))}
            {due.length === 0 && <li className="rounded-box border border-dashed border-rule p-5 text-center font-serif text-2xl"><Trans>Nothing to do{next[0] ? t` until ${clock(next[0].at)}` : ""}.</Trans></li>}
          </ol>
          {next.length > 0 && (
            <section aria-labelledby="then" className="mt-5">
              <h2 id="then" className="font-serif text-2xl">
                <Trans>Then</Trans>
              </h2>
              <ol className="divide-y divide-rule">
                {next.map((task) => (
                  <li key={taskKey(task)} className="flex items-baseline gap-3 py-2">
                    <span className="w-24 shrink-0 text-quiet">{clock(task.at)}</span>
                    <span className="min-w-0 flex-1">
                      {task.machine && <strong className="font-semibold">{task.machine}: </strong>}
                      {task.says}
                      {task.steps.length > 0 && <span className="text-quiet"> ({task.steps.join(", ").toLowerCase()})</span>}
                    </span>
                    <span className="shrink-0 text-sm text-quiet">{until(task.at, now)}</span>
                  </li>
                ))}
              </ol>
            </section>
          )}
          <Running day={day.data} now={now} />
          {day.data.moved.length > 0 && (
            <section aria-labelledby="moved" className="mt-5">
              <h2 id="moved" className="font-serif text-2xl">
                <Trans>What has moved</Trans>
              </h2>
              <ul>
                {day.data.moved.slice(0, 8).map((one) => (
                  <li key={`${one.job}-${one.copy_number}`}>
                    <strong className="font-semibold">
                      {one.job} {one.copy_number}:
                    </strong>{" "}
                    {one.says}
                  </li>
                ))}
              </ul>
            </section>
          )}
        </>
      )}
    </div>
  );
}

function taskKey(task: DayTask): string {
  return `${task.kind}-${task.machine}-${task.job}-${task.copy_number}-${task.run_id ?? ""}-${task.at}`;
}

/** This moment, to half a minute. */
function useNow(): number {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 30_000);
    return () => clearInterval(timer);
  }, []);
  return now;
}

/** One thing to do: where, what, its steps, and a button as large as a thumb. */
function Card({ task, day, now }: { task: DayTask; day: Day; now: number }) {
  const matters = task.by ? new Date(task.by).getTime() - now : null;
  const pressing = matters !== null && matters < SOON_MS;
  return (
    <article className={`rounded-box border-2 p-4 ${pressing ? "border-molten bg-molten-wash" : "border-base-content/60"}`}>
      <p className="flex flex-wrap items-baseline justify-between gap-2">
        <span className="font-serif text-2xl">
          {task.machine && `${task.machine}: `}
          {task.says}
        </span>
        <span className={`text-lg ${pressing ? "font-semibold text-molten" : "text-quiet"}`}>
          {task.by ? (matters !== null && matters <= 60_000 ? t`now, or something gets late` : t`can wait until ${clock(task.by)}`) : until(task.at, now)}
        </span>
      </p>
      {task.steps.length > 0 && (
        <ul className="mt-1 list-disc pl-6 text-lg">
          {task.steps.map((step) => (
            <li key={step}>{step}</li>
          ))}
        </ul>
      )}
      {task.steps.some((step) => step.startsWith("Nozzle")) && <p className="mt-1 text-sm text-warning"><Trans>Hot nozzle: burns. Swap with the proper tool, by the maker's instructions.</Trans></p>}
      {task.kind === "dry" && <p className="mt-1 text-sm text-warning"><Trans>By the plastic maker's temperature; not in an oven that food comes into.</Trans></p>}
      {task.kind === "take_off" && task.run_id != null && <TakeOff runId={task.run_id} day={day} />}
      {task.kind === "start" && <Start task={task} day={day} />}
    </article>
  );
}

function TakeOff({ runId, day }: { runId: number; day: Day }) {
  const queries = useQueryClient();
  const toast = useToast();
  const off = useMutation({
    mutationFn: async (state: "kept" | "scrapped") => take(await api.POST("/api/day/take-off", { body: { run_id: runId, state } })),
    onSuccess: async (made, state) => {
      await dayChanged(queries);
      toast(state === "kept" ? t`${made.name} is in the log.` : t`${made.name} is scrapped; its plate is planned once more where it came from the queue.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <div className="mt-3 flex flex-wrap gap-2">
      <button type="button" className="btn btn-accent btn-lg flex-1" disabled={off.isPending} onClick={() => off.mutate("kept")}>
        <Trans>Came out well</Trans>
      </button>
      <button type="button" className="btn btn-outline btn-lg flex-1" disabled={off.isPending} onClick={() => off.mutate("scrapped")}>
        <Trans>It did not</Trans>
      </button>
      <Delay runId={runId} day={day} />
      <Link className="btn btn-ghost btn-sm" to={`/log/${runId}/enter`}>
        <Trans>Enter more</Trans>
      </Link>
    </div>
  );
}

/** It takes longer: what follows is planned anew. */
function Delay({ runId, day }: { runId: number; day: Day }) {
  const queries = useQueryClient();
  const toast = useToast();
  const late = useMutation({
    mutationFn: async (minutes: number) => {
      take(await api.POST("/api/day/delay", { body: { run_id: runId, more_s: minutes * 60 } }));
      await api.POST("/api/day/plan", { body: { seconds: 10 } });
    },
    onSuccess: async () => {
      await dayChanged(queries);
      toast(t`What follows is planned anew; what moves is told below.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const said = day.machines.find((machine) => machine.running?.run_id === runId)?.running?.delay_s ?? 0;
  return (
    <span className="flex flex-wrap items-center gap-1 text-sm">
      <Trans>Not done:</Trans>
      {[15, 60].map((minutes) => (
        <button key={minutes} type="button" className="btn btn-ghost btn-sm" disabled={late.isPending} onClick={() => late.mutate(minutes)}>
          +{minutes === 60 ? "1 h" : `${minutes} min`}
        </button>
      ))}
      {said !== 0 && <span className="text-quiet"><Trans>{Math.round(said / 60)} min said so far</Trans></span>}
    </span>
  );
}

function Start({ task, day }: { task: DayTask; day: Day }) {
  const run = day.runs.find((one) => one.queue_id === Number(task.job) && one.plate === (task.copy_number ?? 1));
  const queries = useQueryClient();
  const toast = useToast();
  const key = useRef(crypto.randomUUID());
  const start = useMutation({
    mutationFn: async () => take(await api.POST("/api/day/start", { body: { key: key.current, queue_id: Number(task.job), plate: task.copy_number ?? 1 } })),
    onSuccess: async (made) => {
      key.current = crypto.randomUUID();
      await dayChanged(queries);
      toast(t`${made.name} runs; its entry in the log is begun.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <>
    <button type="button" className="btn btn-accent btn-lg mt-3 w-full" disabled={start.isPending} onClick={() => start.mutate()}>
      {start.isPending ? t`Starting …` : t`Started`}
    </button>
    {run?.recipe_id != null && (
      <Link className="btn btn-ghost mt-1 w-full font-normal underline" to={`/parts/${run.part_id}/send?column=${run.recipe_id}&queue=${run.queue_id}&plate=${run.plate}`}>
        <Trans>Send its file first</Trans>
      </Link>
    )}
    </>
  );
}

/** What runs just now, with the way to say that it takes longer. */
function Running({ day, now }: { day: Day; now: number }) {
  const prints = usePrints().data;
  const running = day.machines.filter((machine) => machine.running && !machine.running.over);
  if (running.length === 0) return null;
  return (
    <section aria-labelledby="running" className="mt-5">
      <h2 id="running" className="font-serif text-2xl">
        <Trans>Running</Trans>
      </h2>
      <ul className="divide-y divide-rule">
        {running.map((machine) => (
          <li key={machine.id} className="flex flex-wrap items-center gap-x-3 py-2">
            <span className="min-w-0 flex-1">
              <strong className="font-semibold">{machine.name}:</strong> {machine.running?.name}, {machine.running && until(machine.running.ends_at, now)}{" "}
              <span className="text-quiet">
                <Trans>({machine.running && clock(machine.running.low_end)} to {machine.running && clock(machine.running.high_end)})</Trans>
              </span>
            </span>
            {machine.running && machine.running.live === "" && <Delay runId={machine.running.run_id} day={day} />}
            {prints?.some((one) => one.id === machine.running?.print_id) && (
              <div className="w-full rounded-box bg-base-200 p-3">
                {prints
                  .filter((one) => one.id === machine.running?.print_id)
                  .map((one) => (
                    <Live key={one.id} print={one} small />
                  ))}
              </div>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
