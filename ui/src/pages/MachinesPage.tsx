import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take, type MachinesCompared, type Printer } from "../api/client";
import { useJob } from "../api/jobs";
import { limitsChanged } from "../api/learning";
import { columnsQuery, usePartNames, useShelf } from "../api/queries";
import { useHistory, type Step } from "../components/history";
import { JobBar } from "../components/JobBar";
import { useToast } from "../components/Toasts";
import { LogTabs } from "../features/log/LogTabs";
import { valueOf, withValues } from "../features/learn/dotted";
import { formatDuration, formatDurationDifference } from "../lib/format";

/** Two machines, one part, different minutes: which of their limits makes how much of it. */
export default function MachinesPage() {
  const shelf = useShelf();
  const parts = usePartNames();
  const [asked, setAsked] = useSearchParams();
  useEffect(() => {
    document.title = t`Two machines · Mean Bead`;
  }, []);
  const machines = shelf.data?.machines ?? [];
  const partId = Number(asked.get("part")) || parts.data?.[0]?.id;
  const columns = useQuery({ ...columnsQuery(partId ?? 0), enabled: partId !== undefined });
  const column = columns.data?.find((one) => one.id === Number(asked.get("column"))) ?? columns.data?.find((one) => one.gcode == null);
  const here = Number(asked.get("here")) || column?.machine_id || machines[0]?.id;
  const run = Number(asked.get("run")) || undefined;
  const there = Number(asked.get("there")) || machines.find((one) => one.id !== here)?.id;
  const change = (name: string, value: string) =>
    setAsked(
      (now) => {
        now.set(name, value);
        if (name === "part") now.delete("column");
        if (name === "there") now.delete("run");
        return now;
      },
      { replace: true },
    );
  const work = useJob([column?.id, column?.version, here, there, run, machines.map((one) => one.version)], async () =>
    take(
      await api.POST("/api/machine-comparisons", {
        body: { recipe_id: column?.id ?? 0, here: { machine_id: here ?? 0 }, there: run !== undefined ? { run_id: run } : { machine_id: there ?? 0 } },
      }),
    ),
  );
  // What was asked before the shelf is there would be about other versions than what is shown then.
  const ready = shelf.data !== undefined && column !== undefined && here !== undefined && (run !== undefined || (there !== undefined && there !== here));
  const names = { here: machines.find((one) => one.id === here)?.name ?? "", there: run !== undefined ? t`the machine of run ${run}` : (machines.find((one) => one.id === there)?.name ?? "") };
  const found = work.job?.state === "done" ? work.job.machines : undefined;
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Two machines, one part</Trans></h1>
        <LogTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet">
        <Trans>The same recipe on two machines, or on one as it is and as it was when a run began: the difference in minutes is shared out among what they differ in. What a machine is only thought to be is told under <Link className="underline" to="/log/calibration">Calibration</Link>.</Trans>
      </p>
      <div className="mt-3 flex flex-wrap items-end gap-3 text-sm">
        <Pick label={t`Part`} value={partId} options={(parts.data ?? []).map((one) => [one.id, one.name])} onChange={(value) => change("part", value)} />
        <Pick label={t`Recipe`} value={column?.id} options={(columns.data ?? []).filter((one) => one.gcode == null).map((one) => [one.id, one.name])} onChange={(value) => change("column", value)} />
        <Pick label={t`On`} value={here} options={machines.map((one) => [one.id, one.name])} onChange={(value) => change("here", value)} />
        {run === undefined ? (
          <Pick label={t`And on`} value={there} options={machines.map((one) => [one.id, one.name])} onChange={(value) => change("there", value)} />
        ) : (
          <span className="pb-1"><Trans>and on {names.there}</Trans></span>
        )}
        <form
          className="flex items-end gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            const value = new FormData(event.currentTarget).get("run");
            setAsked((now) => {
              if (typeof value === "string" && value !== "") now.set("run", value);
              else now.delete("run");
              return now;
            });
          }}
        >
          <label className="flex flex-col text-quiet">
            <Trans>or as it was in run</Trans>
            <input name="run" inputMode="numeric" pattern="[0-9]*" defaultValue={run ?? ""} placeholder={t`number`} className="input input-sm w-24 border-rule text-base-content" />
          </label>
          <button type="submit" className="btn btn-ghost btn-sm">
            <Trans>Take</Trans>
          </button>
        </form>
        <button type="button" className="btn btn-accent btn-sm" disabled={!ready || work.busy} onClick={work.start}>
          <Trans>Share it out</Trans>
        </button>
      </div>
      <div className="mt-3">
        <JobBar work={work} what={t`Comparing machines`} />
      </div>
      {found && <Shares found={found} names={names} here={here} there={run === undefined ? there : undefined} onCopied={work.start} />}
      {!found && !work.busy && <p className="mt-4 text-quiet">{ready ? t`Sixty-four mixtures of the two are computed: a few seconds.` : t`Choose two different machines.`}</p>}
    </div>
  );
}

interface PickProps {
  label: string;
  value: number | undefined;
  options: readonly (readonly [number, string])[];
  onChange: (value: string) => void;
}

function Pick({ label, value, options, onChange }: PickProps) {
  return (
    <label className="flex flex-col text-quiet">
      {label}
      <select className="select select-sm w-44 border-rule text-base-content" value={value ?? ""} onChange={(event) => onChange(event.target.value)}>
        {options.map(([id, name]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}

interface SharesProps {
  found: MachinesCompared;
  names: { here: string; there: string };
  here: number | undefined;
  there: number | undefined;
  onCopied: () => void;
}

function Shares({ found, names, here, there, onCopied }: SharesProps) {
  const [picked, setPicked] = useState<readonly string[]>([]);
  const queries = useQueryClient();
  const shelf = useShelf();
  const history = useHistory();
  const toast = useToast();
  const most = Math.max(...found.shares.map((one) => Math.abs(one.time_s)), 1);
  const fields = found.shares.flatMap((one) => one.fields).filter((one) => one.copyable);
  const copy = useMutation({
    mutationFn: async () => {
      const to = shelf.data?.machines.find((one) => one.id === here);
      const from = shelf.data?.machines.find((one) => one.id === there);
      if (to === undefined || from === undefined) throw new Error(t`Both have to be machines of the shelf.`);
      const values = picked.map((field) => [field, valueOf(from.printer, field)] as const);
      const olds = picked.map((field) => [field, valueOf(to.printer, field)] as const);
      const write = async (list: readonly (readonly [string, unknown])[]) => {
        const now = take(await api.GET("/api/shelf")).machines.find((one) => one.id === here);
        if (now === undefined) return;
        take(await api.PATCH("/api/machines/{row_id}", { params: { path: { row_id: now.id } }, body: { version: now.version, printer: withValues(now.printer, list) as Printer, provenance: "set" } }));
        await limitsChanged(queries);
      };
      await write(values);
      const step: Step = { label: t`${picked.length} values of ${to.name}`, undo: () => write(olds), redo: () => write(values) };
      history.push(step);
      toast(t`${to.name} is described with ${plural(picked.length, { one: "that value", other: "those values" })} of ${from.name}.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
      setPicked([]);
      onCopied();
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const apart = found.to_s - found.from_s;
  return (
    <section aria-label={t`The difference`}>
      <p className="text-lg">
        <Trans>
          {names.here} takes <strong>{formatDuration(found.from_s)}</strong> in all, {names.there} <strong>{formatDuration(found.to_s)}</strong>: <strong className="text-molten">{formatDurationDifference(apart)}</strong>
          <span className="text-sm text-quiet"> (printing only: {formatDuration(found.from_print_s)} and {formatDuration(found.to_print_s)})</span>
        </Trans>
      </p>
      {found.shares.length === 0 ? (
        <p className="mt-2 text-quiet"><Trans>They are described alike. If their real times differ, one of the descriptions is not true: see Calibration.</Trans></p>
      ) : (
        <ul className="mt-3 divide-y divide-rule border-y border-rule text-sm">
          {found.shares.map((share) => (
            <li key={share.name} className="grid grid-cols-1 gap-x-5 py-2 md:grid-cols-[11rem_14rem_6rem_minmax(0,1fr)]">
              <span className="font-semibold">{share.words}</span>
              <svg viewBox="0 0 200 12" className="hidden w-full pt-1 md:block" aria-hidden>
                <path d="M100 0V12" stroke="var(--rule)" />
                <path d={`M100 6H${100 + (96 * share.time_s) / most}`} stroke={share.time_s > 0 ? "var(--molten)" : "var(--quiet)"} strokeWidth="8" />
              </svg>
              <span className="font-serif text-lg leading-none">{formatDurationDifference(share.time_s)}</span>
              <span>
                {share.fields.map((field) => (
                  <label key={field.field} className="flex min-h-7 flex-wrap items-center gap-x-2">
                    {field.copyable && there !== undefined ? (
                      <input
                        type="checkbox"
                        className="checkbox checkbox-xs"
                        aria-label={t`Copy ${share.words}: ${field.label}`}
                        checked={picked.includes(field.field)}
                        onChange={(event) => setPicked((now) => (event.target.checked ? [...now, field.field] : now.filter((one) => one !== field.field)))}
                      />
                    ) : (
                      <span className="w-4" />
                    )}
                    <span className="text-quiet">{field.label}</span>
                    <span>
                      {field.here} → {field.there}
                    </span>
                  </label>
                ))}
              </span>
            </li>
          ))}
        </ul>
      )}
      {Math.abs(found.rest_s) > 1 && <p className="mt-1 text-xs text-quiet"><Trans>{formatDurationDifference(found.rest_s)} is what samples of layers and full estimates differ by.</Trans></p>}
      {there !== undefined && fields.length > 0 && (
        <p className="mt-3 flex flex-wrap items-center gap-3 text-sm">
          <button type="button" className="btn btn-outline btn-sm" disabled={picked.length === 0 || copy.isPending} onClick={() => copy.mutate()}>
            <Trans>Copy what is ticked to {names.here}</Trans>
          </button>
          <span className="text-quiet"><Trans>That changes the description here. Set the firmware alike, and look at the first prints: a limit that is too high for a frame costs looks, or steps.</Trans></span>
        </p>
      )}
    </section>
  );
}
