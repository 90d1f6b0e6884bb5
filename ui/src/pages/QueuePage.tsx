import { plural, t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take, type Queued } from "../api/client";
import { dayChanged, editQueued, removeQueued, restoreQueued, useDay, useQueue, useReplanning } from "../api/day";
import { useShelf } from "../api/queries";
import { useHistory, type Step } from "../components/history";
import { useToast } from "../components/Toasts";
import { clock } from "../features/day/board";
import { DayTabs } from "../features/day/DayTabs";
import { QueueForm } from "../features/day/QueueForm";
import { useGate } from "../features/people/useGate";

const PRIORITY: Record<string, string> = { "2": t`first`, "1": t`before`, "0": t`usual`, "-1": t`later` };

/** What is to be printed: how many, by when, how far it is. */
export default function QueuePage() {
  const queue = useQueue();
  const day = useDay();
  const me = useGate();
  const [asked] = useSearchParams();
  useReplanning(day.data, true);
  useEffect(() => {
    document.title = t`Queue · Mean Bead`;
  }, []);
  const ends = new Map<number, string>();
  for (const run of day.data?.runs ?? []) {
    const last = ends.get(run.queue_id);
    if (last === undefined || last < run.end) ends.set(run.queue_id, run.end);
  }
  const late = new Set(day.data?.runs.filter((run) => run.late_s > 0).map((run) => run.queue_id));
  const without = new Set(day.data?.unplaced.map((one) => one.queue_id));
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Queue</Trans></h1>
        <DayTabs />
      </div>
      <p className="mt-1 text-quiet"><Trans>Parts with how many and by when; they become plates, and the plan places these on machines.</Trans></p>
      {queue.isLoadingError && <p className="mt-3 text-error">{queue.error.message}</p>}
      {me?.role !== "guest" && (
        <div className="mt-3 rounded-box border border-rule bg-base-200/50 p-3">
          <QueueForm part={Number(asked.get("part")) || undefined} />
          <FromCsv />
        </div>
      )}
      {queue.data?.length === 0 && <p className="mt-4 text-quiet"><Trans>Nothing is queued.</Trans></p>}
      {queue.data && queue.data.length > 0 && (
        <div className="relative mt-4 overflow-x-auto">
          <table className="w-full text-sm">
            <caption className="sr-only"><Trans>The queue</Trans></caption>
            <thead>
              <tr className="border-b border-base-content/40 text-left text-quiet">
                {[t`What`, t`Recipe`, t`Done`, t`Pieces`, t`On a plate`, t`Due`, t`Expected`, t`Priority`, ""].map((name) => (
                  <th key={name} scope="col" className="px-2 py-1 font-normal">
                    {name || <span className="sr-only"><Trans>Take it out</Trans></span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {queue.data.map((item) => (
                <Row key={item.id} item={item} ends={ends.get(item.id)} late={late.has(item.id)} without={without.has(item.id)} may={me?.role !== "guest"} />
              ))}
            </tbody>
          </table>
        </div>
      )}
      <p className="mt-3 text-sm">
        <Link className="underline" to="/day">
          <Trans>To the board</Trans>
        </Link>
      </p>
    </div>
  );
}

function Row({ item, ends, late, without, may }: { item: Queued; ends: string | undefined; late: boolean; without: boolean; may: boolean }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const shelf = useShelf();
  const save = useMutation({
    mutationFn: (change: Omit<Parameters<typeof editQueued>[1], "version">) => editQueued(item, { version: item.version, ...change }),
    onSuccess: () => void dayChanged(queries),
    onError: (error) => {
      toast(error.message, { tone: "error" });
      void dayChanged(queries);
    },
  });
  const remove = useMutation({
    mutationFn: () => removeQueued(item),
    onSuccess: async (gone) => {
      await dayChanged(queries);
      let standing = gone;
      const step: Step = {
        label: t`taking ${item.name} out of the queue`,
        undo: async () => {
          standing = await restoreQueued(item.id);
          await dayChanged(queries);
        },
        redo: async () => {
          standing = await removeQueued(standing);
          await dayChanged(queries);
        },
      };
      history.push(step);
      toast(t`${item.name} is out of the queue.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const number = (name: "quantity" | "per_plate", label: string, most: number) => (
    <input
      key={`${name}-${item.version}`}
      aria-label={t`${label} of ${item.name}`}
      className="input input-xs min-h-7 w-16 border-rule text-right"
      type="number"
      min={1}
      max={most}
      disabled={!may || (name === "per_plate" && item.plate_id != null)}
      defaultValue={item[name]}
      onBlur={(event) => {
        const value = Number(event.target.value);
        if (Number.isInteger(value) && value >= 1 && value !== item[name]) save.mutate({ [name]: value });
        else event.target.value = String(item[name]);
      }}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    />
  );
  const only = item.machine_ids.map((id) => shelf.data?.machines.find((one) => one.id === id)?.name ?? t`machine ${id}`);
  return (
    <tr className="border-b border-rule align-baseline">
      <th scope="row" className="px-2 py-1.5 text-left font-semibold">
        <Link className="hover:underline" to={item.plate_id != null ? `/day/plates/${item.plate_id}` : `/parts/${item.part_id}`}>
          {item.name}
        </Link>
        <span className="block text-xs font-normal text-quiet">
          {item.material}
          {only.length > 0 && t`, only on ${only.join(", ")}`}
          {item.again_of_id != null && t`, run ${item.again_of_id} once more`}
          {item.note && `, ${item.note}`}
        </span>
      </th>
      <td className="px-2">
        {item.recipe}
        {item.may_pick && <span className="text-quiet"> <Trans>or another</Trans></span>}
      </td>
      <td className="px-2 whitespace-nowrap">
        <Trans>{item.done} of {item.quantity}</Trans>
        {item.running > 0 && <span className="text-molten"> <Trans>· {item.running} printing</Trans></span>}
        {item.scrapped > 0 && <span className="text-error"> <Trans>· {item.scrapped} failed</Trans></span>}
      </td>
      <td className="px-2">{number("quantity", t`Pieces`, 40000)}</td>
      <td className="px-2">
        {number("per_plate", t`On a plate`, 400)} <span className="text-xs text-quiet"><Plural value={item.plates} one="# plate" other="# plates" /></span>
      </td>
      <td className="px-2">
        <input
          key={`due-${item.version}`}
          aria-label={t`${item.name} is due`}
          className="input input-xs min-h-7 w-44 border-rule"
          type="datetime-local"
          disabled={!may}
          defaultValue={item.due_at ? local(item.due_at) : ""}
          onBlur={(event) => {
            const { value } = event.target;
            if (value !== (item.due_at ? local(item.due_at) : "")) save.mutate({ due_at: value === "" ? null : new Date(value).toISOString() });
          }}
        />
      </td>
      <td className={`px-2 whitespace-nowrap ${late || without ? "text-error" : ""}`}>
        {item.open_plates.length === 0 ? t`all printed` : without ? t`no place` : ends ? `${clock(ends)}${late ? t`, late` : ""}` : t`not planned yet`}
      </td>
      <td className="px-2">
        <select aria-label={t`Priority of ${item.name}`} className="select select-xs min-h-7 w-24 border-rule" disabled={!may} value={item.priority} onChange={(event) => save.mutate({ priority: Number(event.target.value) })}>
          {[...new Set([2, 1, 0, -1, item.priority])].sort((a, b) => b - a).map((value) => (
            <option key={value} value={value}>
              {PRIORITY[String(value)] ?? value}
            </option>
          ))}
        </select>
      </td>
      <td className="px-2 text-right">
        <button type="button" className="btn btn-ghost btn-xs min-h-7 text-quiet" disabled={!may || remove.isPending} aria-label={t`Take out ${item.name}`} onClick={() => remove.mutate()}>
          <Trans>Take out</Trans>
        </button>
      </td>
    </tr>
  );
}

/** A moment as a field for dates takes it. */
function local(moment: string): string {
  const at = new Date(moment);
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

/** A table of what to print, from a file. */
function FromCsv() {
  const queries = useQueryClient();
  const toast = useToast();
  const picker = useRef<HTMLInputElement>(null);
  const [problems, setProblems] = useState<readonly { line: number; says: string }[]>([]);
  const bring = useMutation({
    mutationFn: async (text: string) => take(await api.POST("/api/queue/csv", { body: { text } })),
    onSuccess: async (made) => {
      setProblems(made.problems);
      await dayChanged(queries);
      toast(t`${plural(made.added.length, { one: "# line", other: "# lines" })} queued${made.problems.length > 0 ? t`, ${made.problems.length} not` : ""}.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <div className="mt-2 text-sm text-quiet">
      <button type="button" className="btn btn-ghost btn-xs min-h-7 font-normal underline" disabled={bring.isPending} onClick={() => picker.current?.click()}>
        <Trans>From a CSV file</Trans>
      </button>{" "}
      <Trans>with the columns part, quantity, and if you like per_plate, due, priority, recipe, machines, note</Trans>
      <input
        ref={picker}
        type="file"
        accept=".csv,text/csv,text/plain"
        className="hidden"
        aria-label={t`CSV file of what to print`}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void file.text().then((text) => bring.mutate(text));
        }}
      />
      {problems.length > 0 && (
        <ul className="text-error" role="alert">
          {problems.map((one) => (
            <li key={one.line}>
              <Trans>Line {one.line}: {one.says}</Trans>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
