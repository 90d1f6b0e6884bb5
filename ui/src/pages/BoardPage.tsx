import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, take, type BoardRun, type Day } from "../api/client";
import { dayChanged, useDay, useQueue } from "../api/day";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";
import { Board } from "../features/day/Board";
import { clock, HOUR_MS, keyOf } from "../features/day/board";
import { DayTabs } from "../features/day/DayTabs";
import { Notes, Planning } from "../features/day/Planning";
import { RunPanel } from "../features/day/RunPanel";
import { useGate } from "../features/people/useGate";
import { formatDuration } from "../lib/format";

const SPANS = [
  [0.5, t`twelve hours`],
  [2, t`two days`],
  [7, t`a week`],
  [14, t`two weeks`],
] as const;

/** Machines over the hours: what runs where, when somebody has to be there, and why. */
export default function BoardPage() {
  const day = useDay();
  const me = useGate();
  const may = me?.role !== "guest";
  const [asked, setDays] = useState<number | null>(null);
  const days = asked ?? usual(day.data?.runs ?? []);
  const [selected, setSelected] = useState<string | null>(null);
  useEffect(() => {
    document.title = t`Day board · Mean Bead`;
  }, []);
  const run = day.data?.runs.find((one) => keyOf(one) === selected);
  const put = usePutting();
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Day board</Trans></h1>
        <DayTabs />
        <div className="join ml-auto" role="group" aria-label={t`How much is seen`}>
          {SPANS.map(([count, name]) => (
            <button key={count} type="button" aria-pressed={days === count} className={`btn join-item btn-xs min-h-7 font-normal ${days === count ? "btn-neutral" : "btn-outline"}`} onClick={() => setDays(count)}>
              {name}
            </button>
          ))}
        </div>
      </div>
      {day.isLoadingError && <p className="mt-3 text-error">{day.error.message}</p>}
      {day.data && (
        <>
          <div className="mt-2">
            <Planning day={day.data} may />
          </div>
          {day.data.queued === 0 && day.data.runs.length === 0 && <Empty />}
          <Board day={day.data} days={days} selected={selected} onSelect={(one) => setSelected(keyOf(one))} onPut={may ? put.put : null} />
          <p className="mt-1 flex flex-wrap gap-x-4 text-xs text-quiet">
            <span><Trans>▱ plate · ▾ nozzle · ◎ spool to change</Trans></span>
            <span><Trans>hatched: nobody there</Trans></span>
            <span><Trans>soft edge: nine of ten ends fall in it</Trans></span>
            <span><Trans>Arrows walk; with Alt they move a run; dragging does, too</Trans></span>
            <a className="underline" href="/api/day/calendar.ics">
              <Trans>calendar file</Trans>
            </a>
            <Link className="underline" to="/day/sheet">
              <Trans>day sheet to print</Trans>
            </Link>
          </p>
          {run ? <RunPanel day={day.data} run={run} may={may} onPut={put.put} onRelease={put.release} /> : <Gaps day={day.data} />}
          <Notes day={day.data} />
        </>
      )}
    </div>
  );
}

/** As much as shows a usual run with its name. */
function usual(runs: readonly BoardRun[]): number {
  const hours = runs.map((run) => (Date.parse(run.end) - Date.parse(run.start)) / HOUR_MS).sort((a, b) => a - b);
  const middle = hours[Math.floor(hours.length / 2)];
  return middle === undefined || (middle >= 1 && middle < 10) ? 2 : middle < 1 ? 0.5 : 7;
}

function Empty() {
  return (
    <p className="mt-4 max-w-2xl rounded-box border border-dashed border-rule p-4">
      <Trans>Nothing waits to be printed. <Link className="underline" to="/day/queue">Queue parts</Link> with how many and by when; they become plates, and plates become runs over the hours in which someone is there.</Trans>
    </p>
  );
}

/** What ends while nobody is there, and what would fit before someone comes. */
function Gaps({ day }: { day: Day }) {
  const alone = day.runs.filter((run) => run.alone_end != null).slice(0, 6);
  const gaps = day.gaps.filter((gap) => gap.fits_s > 1800).slice(0, 6);
  if (alone.length === 0 && gaps.length === 0) return null;
  const name = (id: number) => day.machines.find((machine) => machine.id === id)?.name ?? "";
  return (
    <div className="mt-4 grid gap-x-10 gap-y-4 border-t border-rule pt-3 md:grid-cols-2">
      <section aria-labelledby="alone">
        <h2 id="alone" className="font-serif text-xl">
          <Trans>Ends with nobody there</Trans>
        </h2>
        <ul className="text-sm">
          {alone.map((run) => (
            <li key={keyOf(run)}>
              <Trans>{run.machine}: <strong>{run.name}</strong> {clock(run.end)}; the plate waits {run.alone_end && formatDuration((Date.parse(run.alone_end) - Date.parse(run.end)) / 1000)}</Trans>
            </li>
          ))}
          {alone.length === 0 && <li className="text-quiet"><Trans>Nothing does.</Trans></li>}
        </ul>
      </section>
      <section aria-labelledby="room">
        <h2 id="room" className="font-serif text-xl">
          <Trans>Room left</Trans>
        </h2>
        <ul className="text-sm">
          {gaps.map((gap) => (
            <li key={`${gap.machine_id}-${gap.start}`}>
              <Trans>{name(gap.machine_id)}: from {clock(gap.start)} to {clock(gap.end)}; a print of up to {formatDuration(gap.fits_s)} fits</Trans>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}

/** Put runs by hand, and let go of them; both can be undone. */
function usePutting() {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const queue = useQueue();
  const versionOf = (id: number) => queue.data?.find((one) => one.id === id)?.version ?? 1;
  const send = async (run: BoardRun, machine_id: number, start: Date) => {
    const made = take(await api.POST("/api/day/pin", { body: { queue_id: run.queue_id, plate: run.plate, version: await fresh(run.queue_id), machine_id, start: start.toISOString() } }));
    await changed();
    return made;
  };
  const free = async (run: BoardRun) => {
    take(await api.POST("/api/day/release", { body: { queue_id: run.queue_id, plate: run.plate, version: await fresh(run.queue_id) } }));
    await changed();
  };
  /** The version that stands now: a plan may have been made, or another window have written, since. */
  const fresh = async (id: number) => take(await api.GET("/api/queue")).items.find((one) => one.id === id)?.version ?? versionOf(id);
  const changed = async () => {
    await dayChanged(queries);
    await api.POST("/api/day/plan", { body: { seconds: 8 } });
    await dayChanged(queries);
  };
  // One after the other: each is written on what the one before has left.
  const scope = { id: "day-put" };
  const putting = useMutation({
    scope,
    mutationFn: async ({ run, machine_id, start }: { run: BoardRun; machine_id: number; start: Date }) => ({ run, made: await send(run, machine_id, start) }),
    onSuccess: ({ run, made }) => {
      if (made.says) toast(made.says);
      const [machine, start] = [made.machine_id ?? run.machine_id, new Date(made.start ?? run.start)];
      history.push({
        label: t`putting ${run.name}`,
        undo: async () => {
          if (run.pinned) await send(run, run.machine_id, new Date(run.start));
          else await free(run);
        },
        redo: async () => {
          await send(run, machine, start);
        },
      });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const releasing = useMutation({
    scope,
    mutationFn: free,
    onSuccess: (_, run) =>
      history.push({ label: t`letting go of ${run.name}`, undo: async () => {
          await send(run, run.machine_id, new Date(run.start));
        },
        redo: () => free(run),
      }),
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return {
    put: (run: BoardRun, machine_id: number, start: Date) => putting.mutate({ run, machine_id, start }),
    release: (run: BoardRun) => releasing.mutate(run),
  };
}
