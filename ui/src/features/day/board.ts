import { t } from "@lingui/core/macro";
import type { BoardRun } from "../../api/client";
import { ofWords } from "../../lib/format";

/** As much of a run as finding one's way needs. */
export type Standing = Pick<BoardRun, "queue_id" | "plate" | "machine_id" | "start" | "end">;

export const HOUR_MS = 3_600_000;

export function keyOf(run: Pick<BoardRun, "queue_id" | "plate">): string {
  return `${run.queue_id}-${run.plate}`;
}

/** Where a moment lies, in pixels from the left end. */
export function xOf(moment: string | number | Date, from: number, perHour: number): number {
  return ((new Date(moment).getTime() - from) / HOUR_MS) * perHour;
}

/** The moment at a place, to the whole step. */
export function momentAt(x: number, from: number, perHour: number, stepMin = 15): Date {
  const step = stepMin * 60_000;
  return new Date(Math.round((from + (x / perHour) * HOUR_MS) / step) * step);
}

/** Hours at which the scale is marked, so that marks stand at least so far apart. */
export function marks(from: number, to: number, perHour: number, apart = 46): Date[] {
  const every = [1, 2, 3, 6, 12, 24].find((hours) => hours * perHour >= apart) ?? 24;
  const first = new Date(from);
  first.setHours(0, 0, 0, 0);
  const found: Date[] = [];
  for (let at = first; at.getTime() <= to; at = later(at, every)) if (at.getTime() >= from) found.push(at);
  return found;
}

/** So many hours later on the clock on the wall, whatever clocks do in between. */
function later(at: Date, hours: number): Date {
  const next = new Date(at);
  next.setHours(next.getHours() + hours);
  return next;
}

export type Way = "left" | "right" | "up" | "down" | "first" | "last";

/** The run that an arrow leads to: along its machine, or the one nearest in time on the next machine that has any. */
export function neighbour<Run extends Standing>(runs: readonly Run[], machines: readonly number[], from: Run, way: Way): Run {
  const row = (machine: number) => runs.filter((run) => run.machine_id === machine).sort((a, b) => Date.parse(a.start) - Date.parse(b.start));
  const own = row(from.machine_id);
  const at = own.findIndex((run) => keyOf(run) === keyOf(from));
  if (way === "first") return own[0] ?? from;
  if (way === "last") return own.at(-1) ?? from;
  if (way === "left" || way === "right") return own[at + (way === "left" ? -1 : 1)] ?? from;
  const step = way === "up" ? -1 : 1;
  const middle = (run: Standing) => (Date.parse(run.start) + Date.parse(run.end)) / 2;
  for (let place = machines.indexOf(from.machine_id) + step; place >= 0 && place < machines.length; place += step) {
    const there = row(machines[place] ?? -1);
    if (there.length > 0) return there.reduce((best, run) => (Math.abs(middle(run) - middle(from)) < Math.abs(middle(best) - middle(from)) ? run : best));
  }
  return from;
}

/** The shortest words for how long it is until a moment, or since. */
export function until(moment: string, now: number): string {
  const minutes = Math.round((new Date(moment).getTime() - now) / 60_000);
  const size = Math.abs(minutes);
  const text = size < 60 ? `${size} min` : size < 48 * 60 ? `${Math.floor(size / 60)} h ${String(size % 60).padStart(2, "0")}` : t`${Math.round(size / 1440)} days`;
  return minutes > 0 ? t`in ${text}` : size === 0 ? t`now` : t`${text} ago`;
}

/** A day and an hour, such as `Mon 8:05`. */
export function clock(moment: string | Date): string {
  const at = new Date(moment);
  return `${at.toLocaleDateString(ofWords(), { weekday: "short" })} ${at.getHours()}:${String(at.getMinutes()).padStart(2, "0")}`;
}
