import { useEffect } from "react";
import { Link } from "react-router";
import { useDay } from "../api/day";
import { clock } from "../features/day/board";

/** The next day and a half on paper: what to do when, with boxes to tick. */
export default function DaySheetPage() {
  const day = useDay();
  useEffect(() => {
    document.title = "Day sheet · Mean Bead";
  }, []);
  if (day.isLoadingError) return <p className="py-6 text-error">{day.error.message}</p>;
  if (!day.data) return <p className="py-6 text-quiet">One moment …</p>;
  const until = new Date(day.data.now).getTime() + 36 * 3_600_000;
  const tasks = day.data.tasks.filter((task) => new Date(task.at).getTime() < until);
  const days = [...new Set(tasks.map((task) => new Date(task.at).toDateString()))];
  return (
    <div className="mx-auto max-w-3xl py-5 print:py-0">
      <p className="flex gap-4 text-sm print:hidden">
        <Link className="underline" to="/day">
          Back to the board
        </Link>
        <button type="button" className="btn btn-accent btn-sm" onClick={() => window.print()}>
          Print
        </button>
      </p>
      <h1 className="font-serif text-3xl">Day sheet</h1>
      <p className="text-sm text-quiet">as planned {day.data.made_at ? clock(day.data.made_at) : "so far"}; times are expected ones</p>
      {days.map((name) => (
        <section key={name} className="mt-4 break-inside-avoid" aria-label={name}>
          <h2 className="border-b border-base-content/50 font-serif text-xl">{new Date(name).toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long" })}</h2>
          <table className="w-full text-sm">
            <thead className="sr-only">
              <tr>
                <th scope="col">Done</th>
                <th scope="col">At</th>
                <th scope="col">Where</th>
                <th scope="col">What</th>
                <th scope="col">Can wait until</th>
              </tr>
            </thead>
            <tbody>
              {tasks
                .filter((task) => new Date(task.at).toDateString() === name)
                .map((task, place) => (
                  <tr key={`${task.at}-${task.machine}-${task.kind}-${place}`} className="border-b border-rule align-baseline">
                    <td className="w-7 py-1.5">
                      <span aria-hidden className="inline-block size-3.5 border border-base-content" />
                      <span className="sr-only">to do</span>
                    </td>
                    <td className="w-16">{clock(task.at).split(" ")[1]}</td>
                    <td className="w-28 font-semibold">{task.machine || "Dryer"}</td>
                    <td>
                      {task.says}
                      {task.steps.length > 0 && <span className="text-quiet"> · {task.steps.join(" · ")}</span>}
                    </td>
                    <td className="w-32 text-right text-quiet">{task.by && `until ${clock(task.by)}`}</td>
                  </tr>
                ))}
            </tbody>
          </table>
        </section>
      ))}
      {tasks.length === 0 && <p className="mt-4">Nothing is planned.</p>}
    </div>
  );
}
