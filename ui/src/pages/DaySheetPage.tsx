import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link } from "react-router";
import { useDay } from "../api/day";
import { clock } from "../features/day/board";
import { ofWords } from "../lib/format";

/** The next day and a half on paper: what to do when, with boxes to tick. */
export default function DaySheetPage() {
  const day = useDay();
  useEffect(() => {
    document.title = t`Day sheet · Mean Bead`;
  }, []);
  if (day.isLoadingError) return <p className="py-6 text-error">{day.error.message}</p>;
  if (!day.data) return <p className="py-6 text-quiet"><Trans>One moment …</Trans></p>;
  const until = new Date(day.data.now).getTime() + 36 * 3_600_000;
  const tasks = day.data.tasks.filter((task) => new Date(task.at).getTime() < until);
  const days = [...new Set(tasks.map((task) => new Date(task.at).toDateString()))];
  return (
    <div className="mx-auto max-w-3xl py-5 print:py-0">
      <p className="flex gap-4 text-sm print:hidden">
        <Link className="underline" to="/day">
          <Trans>Back to the board</Trans>
        </Link>
        <button type="button" className="btn btn-accent btn-sm" onClick={() => window.print()}>
          <Trans>Print</Trans>
        </button>
      </p>
      <h1 className="font-serif text-3xl"><Trans>Day sheet</Trans></h1>
      <p className="text-sm text-quiet"><Trans>as planned {day.data.made_at ? clock(day.data.made_at) : t`so far`}; times are expected ones</Trans></p>
      {days.map((name) => (
        <section key={name} className="mt-4 break-inside-avoid" aria-label={name}>
          <h2 className="border-b border-base-content/50 font-serif text-xl">{new Date(name).toLocaleDateString(ofWords(), { weekday: "long", day: "numeric", month: "long" })}</h2>
          <table className="w-full text-sm">
            <thead className="sr-only">
              <tr>
                <th scope="col"><Trans>Done</Trans></th>
                <th scope="col"><Trans>At</Trans></th>
                <th scope="col"><Trans>Where</Trans></th>
                <th scope="col"><Trans>What</Trans></th>
                <th scope="col"><Trans>Can wait until</Trans></th>
              </tr>
            </thead>
            <tbody>
              {tasks
                .filter((task) => new Date(task.at).toDateString() === name)
                .map((task, place) => (
                  <tr key={`${task.at}-${task.machine}-${task.kind}-${place}`} className="border-b border-rule align-baseline">
                    <td className="w-7 py-1.5">
                      <span aria-hidden className="inline-block size-3.5 border border-base-content" />
                      <span className="sr-only"><Trans>to do</Trans></span>
                    </td>
                    <td className="w-16">{clock(task.at).split(" ")[1]}</td>
                    <td className="w-28 font-semibold">{task.machine || t`Dryer`}</td>
                    <td>
                      {task.says}
                      {task.steps.length > 0 && <span className="text-quiet"> · {task.steps.join(" · ")}</span>}
                    </td>
                    <td className="w-32 text-right text-quiet">{task.by && t`until ${clock(task.by)}`}</td>
                  </tr>
                ))}
            </tbody>
          </table>
        </section>
      ))}
      {tasks.length === 0 && <p className="mt-4"><Trans>Nothing is planned.</Trans></p>}
    </div>
  );
}
