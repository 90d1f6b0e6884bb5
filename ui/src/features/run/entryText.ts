import { t } from "@lingui/core/macro";
import type { RunEntry, RunTag } from "../../api/client";
import { formatDuration, formatGrams, parseNumber, plain } from "../../lib/format";

/** The entry as it stands in the form: texts where people type. */
export interface EntryText {
  state: RunEntry["state"];
  hours: string;
  minutes: string;
  means: RunEntry["time_means"];
  ended_at: string | null;
  /** When it was started, where somebody corrects that; null leaves it as it was. */
  started_at: string | null;
  weight: string;
  nozzle: string;
  bed: string;
  looks: number | null;
  faults: readonly string[];
  layer: string;
  minute: string;
  pieces: string;
  note: string;
}

const text = (value: number | null | undefined) => (value == null ? "" : plain(value));

/** The form of an entry as it is stored. */
export function textOf(entry: RunEntry, panel: RunTag["panel"]): EntryText {
  const seconds = entry.time_s;
  return {
    state: entry.state,
    hours: seconds == null ? "" : String(Math.floor(seconds / 3600)),
    minutes: seconds == null ? "" : plain(Number(((seconds % 3600) / 60).toFixed(2))),
    means: seconds == null && panel !== "" ? panel : entry.time_means,
    ended_at: entry.ended_at ?? null,
    started_at: null,
    weight: text(entry.weight_g),
    nozzle: text(entry.nozzle_temp_c),
    bed: text(entry.bed_temp_c),
    looks: entry.looks ?? null,
    faults: entry.faults,
    layer: text(entry.stopped_layer),
    minute: text(entry.stopped_min),
    pieces: text(entry.pieces_kept),
    note: entry.note,
  };
}

/** What the form says, as it is stored; or the sentence that says what cannot be read. */
export function entryOf(form: EntryText): RunEntry | string {
  const read = (typed: string, what: string): number | null => {
    if (typed.trim() === "") return null;
    const value = parseNumber(typed);
    if (Number.isNaN(value) || value < 0) throw new Error(t`${what}: “${typed}” is no number.`);
    return value;
  };
  const whole = (typed: string, what: string): number | null => {
    const value = read(typed, what);
    return value === null ? null : Math.round(value);
  };
  try {
    const hours = read(form.hours, t`Hours`);
    const minutes = read(form.minutes, t`Minutes`);
    const seconds = (hours ?? 0) * 3600 + (minutes ?? 0) * 60;
    if ((hours !== null || minutes !== null) && seconds <= 0) throw new Error(t`The time on the panel is more than nothing.`);
    const stopped = form.state === "stopped";
    return {
      state: form.state,
      time_s: seconds > 0 ? seconds : null,
      time_means: form.means,
      ended_at: form.ended_at,
      weight_g: read(form.weight, t`Weight`) || null,
      nozzle_temp_c: read(form.nozzle, t`Nozzle`),
      bed_temp_c: read(form.bed, t`Bed`),
      looks: form.looks,
      faults: [...form.faults],
      stopped_layer: stopped ? whole(form.layer, t`Layer`) : null,
      stopped_min: stopped ? read(form.minute, t`Minute`) : null,
      pieces_kept: whole(form.pieces, t`Pieces`),
      note: form.note,
    };
  } catch (problem) {
    return problem instanceof Error ? problem.message : String(problem);
  }
}

/** Whether two entries say the same: faults in any order, moments in any zone. */
export function sameEntry(one: RunEntry, other: RunEntry): boolean {
  const said = (entry: RunEntry) =>
    JSON.stringify({ ...textOf(entry, ""), faults: [...entry.faults].sort(), ended_at: entry.ended_at == null ? null : Date.parse(entry.ended_at) });
  return said(one) === said(other);
}

/** Beyond twice or half of what was predicted, a slip of the finger is likelier than such a print. */
const FAR_OFF = 2;

/** What is so far from what was predicted that it is worth a second look; it can be stored all the same. */
export function doubts(form: EntryText, tag: RunTag): { time?: string; weight?: string } {
  const entry = entryOf(form);
  if (typeof entry === "string") return {};
  const predicted_s = entry.time_means === "with_heating" ? tag.whole_s : tag.predicted_s;
  const doubt = (entered: number | null | undefined, predicted: number | null, format: (value: number) => string) =>
    entered == null || !predicted || (entered <= FAR_OFF * predicted && FAR_OFF * entered >= predicted)
      ? undefined
      : t`${format(predicted)} were predicted: is ${format(entered)} right?`;
  return { time: doubt(entry.time_s, predicted_s, formatDuration), weight: doubt(entry.weight_g, tag.predicted_g, formatGrams) };
}

/** A moment as a field for day and hour takes it, in this device's own zone. */
export function localMoment(at: string): string {
  const when = new Date(at);
  return new Date(when.getTime() - when.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

/** The moment that such a field says; null where it says none. */
export function momentOf(typed: string): string | null {
  const when = new Date(typed);
  return typed === "" || Number.isNaN(when.getTime()) ? null : when.toISOString();
}
