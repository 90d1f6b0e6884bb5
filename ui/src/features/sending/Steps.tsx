import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, take, type Print, type PrintFile, type RecipeColumn, type Sending } from "../../api/client";
import { useJob } from "../../api/jobs";
import { useColumnFile, usePrintDeeds } from "../../api/prints";
import { printKeys } from "../../api/printKeys";
import { JobBar } from "../../components/JobBar";
import { useToast } from "../../components/Toasts";
import { fixed, formatDuration, formatGrams } from "../../lib/format";
import { stateWords, wayWords } from "./words";

const CHECKS: Record<string, string> = {
  inside: t`Stays inside the machine`,
  cold: t`Never feeds cold`,
  temperature: t`Nozzle temperature`,
  bed_temperature: t`Bed temperature`,
  speed: t`Speeds`,
  acceleration: t`Accelerations`,
  flow: t`Flow against what melts`,
  heaters_off: t`Heaters off at its end`,
  nozzle: t`Nozzle`,
  readable: t`Readable`,
  time: t`Time as estimated`,
  plastic: t`Plastic as estimated`,
};

export function Step({ number, title, children, done, doubt = false }: { number: number; title: string; children: React.ReactNode; done: boolean; doubt?: boolean }) {
  return (
    <section aria-labelledby={`step-${number}`} className="min-w-0">
      <h2 id={`step-${number}`} className="flex items-baseline gap-2 border-b border-rule pb-1 font-serif text-2xl">
        <span className={doubt ? "text-warning" : done ? "text-success" : "text-quiet"} aria-hidden>
          {doubt ? "!" : done ? "✓" : number}
        </span>
        {title}
      </h2>
      <div className="mt-2">{children}</div>
    </section>
  );
}

/** Write the column's file, see what was found in it, take it home. */
export function FileStep({ column, sending }: { column: RecipeColumn; sending: Sending | undefined }) {
  const queries = useQueryClient();
  const file = useColumnFile(column);
  const work = useJob(["file", column.id, column.version, column.inputs, sending?.version ?? 0], async () => take(await api.POST("/api/recipes/{recipe_id}/file", { params: { path: { recipe_id: column.id } } })));
  const made = work.job?.state === "done" ? work.job.file?.file_id : undefined;
  useEffect(() => {
    if (made !== undefined) void queries.invalidateQueries({ queryKey: ["file", column.id] });
  }, [made, queries, column.id]);
  const known = file.data ?? undefined;
  return (
    <Step number={1} title={t`The file`} done={known?.state === "ready"} doubt={known?.checks.some((check) => !check.ok)}>
      {sending && !sending.has_texts && !column.gcode && (
        <p className="mb-2 text-warning">
          <Trans>
            {sending.name} has no start and end text of its own yet.{" "}
            <Link className="underline" to={`/shelf/machines/${sending.machine_id}/sending`}>
              Give it one
            </Link>{" "}
            first: how to home, heat and prime differs from machine to machine.
          </Trans>
        </p>
      )}
      {!work.busy && known === undefined && (
        <button type="button" className="btn btn-accent btn-sm font-normal" disabled={file.isPending || (!column.gcode && sending !== undefined && !sending.has_texts)} onClick={work.start}>
          {column.gcode ? t`Look the file over` : t`Write it and look it over`}
        </button>
      )}
      <JobBar work={work} what={t`Writing the file`} />
      {file.isError && <p className="text-error">{file.error.message}</p>}
      {known && <Found file={known} column={column} read={sending?.first_file_read ?? false} />}
      {known && !work.busy && (
        <button type="button" className="btn btn-ghost btn-xs mt-2 min-h-7 font-normal underline" onClick={work.start}>
          {column.gcode ? t`look it over again` : t`write it again`}
        </button>
      )}
    </Step>
  );
}

function Found({ file, column, read }: { file: PrintFile; column: RecipeColumn; read: boolean }) {
  const wrong = file.checks.filter((check) => !check.ok);
  return (
    <>
      <p className="text-lg break-all">{file.name}</p>
      <p className="text-quiet">
        <Trans>
          {file.size_bytes < 1e6 ? `${Math.max(1, Math.round(file.size_bytes / 1e3))} kB` : `${fixed(file.size_bytes / 1e6, 1)} MB`} · prints in {formatDuration(file.print_time_s)}, {formatGrams(file.filament_g)}
          {file.layers > 0 && ` · ${plural(file.layers, { one: "# layer", other: "# layers" })}, ${fixed(file.height_mm, 1)} mm`}
        </Trans>
      </p>
      {file.notes.map((note) => (
        <p key={note} className="text-sm text-warning">
          {note}
        </p>
      ))}
      {file.state === "refused" && (
        <p className="mt-1 font-semibold text-error" role="alert">
          <Trans>Refused: it is not kept, and cannot be sent.</Trans>
        </p>
      )}
      {!file.ours && wrong.length > 0 && <p className="mt-1 text-warning"><Trans>It was made elsewhere: what is marked is told, and yours to judge.</Trans></p>}
      <ul className="mt-2 text-sm" aria-label={t`What was looked at`}>
        {[...wrong, ...file.checks.filter((check) => check.ok)].map((check) => (
          <li key={check.name} className="flex gap-2 py-0.5">
            <span className={`w-4 shrink-0 text-center font-semibold ${check.ok ? "text-success" : file.ours ? "text-error" : "text-warning"}`} aria-hidden>
              {check.ok ? "✓" : "✗"}
            </span>
            <span>
              <span className="sr-only">{check.ok ? t`Fine: ` : t`Not as it should be: `}</span>
              <strong className="font-semibold">{CHECKS[check.name] ?? check.name}.</strong> {check.says}
              {check.line != null && <span className="text-quiet"> <Trans>Line {check.line.toLocaleString()}.</Trans></span>}
            </span>
          </li>
        ))}
      </ul>
      {file.state === "ready" && (
        <p className="mt-2 flex flex-wrap gap-x-4 text-sm">
          {read ? (
            <a className="underline" href={`/api/files/${file.id}/content`} download={file.name}>
              <Trans>Take it by hand</Trans>
            </a>
          ) : (
            <span className="text-quiet"><Trans>To take it by hand, first read what stands beside.</Trans></span>
          )}
          <Link className="underline" to={`/parts/${column.part_id}/layers?column=${column.id}`}>
            <Trans>See its layers</Trans>
          </Link>
        </p>
      )}
    </>
  );
}

/** Where it goes, and whether that works. */
export function WayStep({ sending }: { sending: Sending }) {
  const test = useMutation({ mutationFn: async () => take(await api.POST("/api/machines/{machine_id}/way-test", { params: { path: { machine_id: sending.machine_id } } })) });
  return (
    <Step number={2} title={t`The way`} done={sending.way.kind !== "none" && sending.first_file_read}>
      <p className="break-all">
        <strong className="font-semibold">{sending.name}:</strong> {wayWords(sending.way)}
      </p>
      <p className="mt-1 flex flex-wrap items-center gap-3">
        {sending.way.kind !== "none" && (
          <button type="button" className="btn btn-outline btn-sm font-normal" disabled={test.isPending} onClick={() => test.mutate()}>
            {test.isPending ? t`Trying …` : t`Try it`}
          </button>
        )}
        <Link className="text-sm underline" to={`/shelf/machines/${sending.machine_id}/sending`}>
          {sending.way.kind === "none" ? t`Set a way` : t`Change it`}
        </Link>
      </p>
      <p className={`mt-1 min-h-6 text-sm ${test.isError ? "text-error" : ""}`} aria-live="polite">
        {test.isError ? test.error.message : test.data?.says}
      </p>
      {!sending.first_file_read && <FirstFile sending={sending} />}
    </Step>
  );
}

/** Has to be read once for each machine, before the first file goes to it. */
export function FirstFile({ sending }: { sending: Sending }) {
  const queries = useQueryClient();
  const read = useMutation({
    mutationFn: async () => take(await api.POST("/api/machines/{machine_id}/first-file", { params: { path: { machine_id: sending.machine_id } } })),
    onSuccess: (told) => queries.setQueryData(printKeys.sending(sending.machine_id), told),
  });
  return (
    <div className="rounded-box border-2 border-warning p-3" role="note" aria-label={t`Before the first file`}>
      <p className="font-semibold"><Trans>The first file on {sending.name}: stay there, hand at the switch.</Trans></p>
      <ul className="mt-1 list-disc pl-5 text-sm">
        <li><Trans>Nothing that Mean Bead has written was ever tried on this machine. Watch it home, heat, and lay the first layer whole.</Trans></li>
        <li><Trans>Pull the plug if the nozzle goes where it should not, or a temperature runs away. The stop button here needs a line; the switch does not.</Trans></li>
        <li><Trans>Hot nozzle and bed: burns. Keep the surroundings clear, and a smoke alarm near.</Trans></li>
        <li><Trans>The maker's instructions and your local rules go before anything that is said here.</Trans></li>
      </ul>
      <button type="button" className="btn btn-warning btn-sm mt-2" disabled={read.isPending} onClick={() => read.mutate()}>
        <Trans>I have read this, and will be there</Trans>
      </button>
      {read.isError && <p className="text-sm text-error">{read.error.message}</p>}
    </div>
  );
}

interface SendProps {
  column: RecipeColumn;
  sending: Sending;
  print: Print | undefined;
  holds: { nozzle: string; spool: string };
  queue: { queue_id: number; plate: number } | null;
}

/** Send it, look at the machine, start it. */
export function SendStep({ column, sending, print, holds, queue }: SendProps) {
  const toast = useToast();
  const failed = (error: Error) => toast(error.message, { tone: "error" });
  const deeds = usePrintDeeds(failed);
  const file = useColumnFile(column).data ?? undefined;
  const key = useRef(crypto.randomUUID());
  const busy = print !== undefined && ["sending", "sent", "starting", "printing", "paused"].includes(print.state);
  const mine = print?.recipe_id === column.id ? print : undefined;
  const ready = file?.state === "ready" && sending.way.kind !== "none" && sending.first_file_read;
  if (busy && !mine) {
    return (
      <Step number={3} title={t`Send and start`} done={false}>
        <p>
          <Trans>{sending.name} is at {print.name} just now: {stateWords(print)}.</Trans>
        </p>
      </Step>
    );
  }
  return (
    <Step number={3} title={t`Send and start`} done={mine !== undefined && ["printing", "paused", "done", "handed"].includes(mine.state)}>
      {(!mine || !busy) && (
        <>
          <button
            type="button"
            className="btn btn-accent btn-sm font-normal"
            disabled={!ready || deeds.send.isPending}
            onClick={() => file && deeds.send.mutate({ key: key.current, file_id: file.id, ...(queue ?? {}) }, { onSuccess: () => (key.current = crypto.randomUUID()) })}
          >
            <Trans>Send it</Trans>
          </button>
          {!ready && <p className="mt-1 text-sm text-quiet">{file?.state !== "ready" ? t`First the file.` : sending.way.kind === "none" ? t`First a way.` : t`First read what the first file asks of you.`}</p>}
          {mine && (
            <p className={`mt-2 text-sm ${mine.state === "failed" ? "text-error" : "text-quiet"}`} role={mine.state === "failed" ? "alert" : undefined}>
              <Trans>Last time: {stateWords(mine)}. {mine.problem}</Trans>
            </p>
          )}
        </>
      )}
      {mine?.state === "sending" && (
        <p className="flex items-center gap-3" role="status">
          <progress className="progress progress-accent w-40" aria-label={t`Sending`} value={mine.sent_bytes} max={Math.max(1, mine.size_bytes)} />
          {stateWords(mine)}
          <button type="button" className="btn btn-ghost btn-xs min-h-7" onClick={() => deeds.tell.mutate({ print_id: mine.id, deed: "leave" })}>
            <Trans>Stop</Trans>
          </button>
        </p>
      )}
      {mine?.state === "sent" && <Start key={mine.id} print={mine} holds={holds} pending={deeds.start.isPending} onStart={() => deeds.start.mutate(mine.id)} onLeave={() => deeds.tell.mutate({ print_id: mine.id, deed: "leave" })} />}
      {mine?.state === "handed" && mine.run_id != null && (
        <p className="mt-2">
          <Trans>
            Its entry is begun:{" "}
            <Link className="underline" to={`/log/${mine.run_id}`}>
              run #{mine.run_id}
            </Link>
          </Trans>
        </p>
      )}
      {mine && ["starting", "printing", "paused"].includes(mine.state) && <p><Trans>It was started; how it goes stands above.</Trans></p>}
    </Step>
  );
}

function Start({ print, holds, pending, onStart, onLeave }: { print: Print; holds: { nozzle: string; spool: string }; pending: boolean; onStart: () => void; onLeave: () => void }) {
  const [said, setSaid] = useState({ nozzle: false, spool: false, plate: false });
  const all = said.nozzle && said.spool && said.plate;
  const asked: [keyof typeof said, string][] = [
    ["nozzle", t`${holds.nozzle} is fitted`],
    ["spool", t`${holds.spool} is on`],
    ["plate", t`the plate is clear, and nothing is in the way`],
  ];
  return (
    <fieldset className="mt-1">
      <legend>
        <Trans>{print.file_name} lies on {print.machine}. Look at the machine:</Trans>
      </legend>
      {print.problem && <p className="text-sm text-warning">{print.problem}</p>}
      {asked.map(([name, label]) => (
        <label key={name} className="flex min-h-7 items-center gap-2">
          <input type="checkbox" className="checkbox checkbox-sm" checked={said[name]} onChange={(event) => setSaid((now) => ({ ...now, [name]: event.target.checked }))} />
          {label}
        </label>
      ))}
      <div className="mt-2 flex flex-wrap gap-2">
        <button type="button" className="btn btn-accent btn-sm" disabled={!all || pending} onClick={onStart}>
          {print.way === "console" ? (pending ? t`Starting …` : t`Start it`) : t`I have started it there`}
        </button>
        <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={onLeave}>
          <Trans>Not now</Trans>
        </button>
      </div>
    </fieldset>
  );
}
