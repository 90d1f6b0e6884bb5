import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { ImportPreview, Matched } from "../api/client";
import { runKeys } from "../api/runs";
import { LogTabs } from "../features/log/LogTabs";
import { formatDuration } from "../lib/format";
import { throughGate } from "../lib/gate";

type Done = { added: number; known: number; left_out: number };

/** Runs that were kept in a table so far: looked at first, matched by hand, and brought. */
export default function ImportRunsPage() {
  const queries = useQueryClient();
  const [file, setFile] = useState<File | null>(null);
  const [preview, setPreview] = useState<ImportPreview | null>(null);
  const [done, setDone] = useState<Done | null>(null);
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const asked = useRef(0);
  useEffect(() => {
    document.title = t`Import runs · Mean Bead`;
  }, []);
  const send = async <Answer,>(path: string, matched: Matched | null, from: File): Promise<Answer | null> => {
    const body = new FormData();
    body.append("file", from);
    if (matched) body.append("matched", JSON.stringify(matched));
    setBusy(true);
    setProblem("");
    try {
      const answer = await throughGate(new Request(path, { method: "POST", body }));
      const told = (await answer.json()) as Answer & { detail?: string };
      if (answer.ok) return told;
      setProblem(told.detail ?? t`The file could not be read.`);
    } catch {
      setProblem(t`Mean Bead did not answer. Is it still running?`);
    } finally {
      setBusy(false);
    }
    return null;
  };
  const look = async (from: File, matched: Matched | null = null) => {
    const mine = ++asked.current;
    setDone(null);
    setFile(from);
    // What somebody has matched shows at once: the next change is made to it, not to what the server answered last.
    setPreview((now) => (now === null || matched === null ? null : { ...now, matched }));
    const seen = await send<ImportPreview>("/api/runs/import/preview", matched, from);
    if (mine === asked.current && (seen !== null || matched === null)) setPreview(seen);
  };
  const bring = async () => {
    if (file === null || preview === null) return;
    const told = await send<Done>("/api/runs/import", preview.matched, file);
    if (told) {
      setDone(told);
      await queries.invalidateQueries({ queryKey: runKeys.all });
    }
  };
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Import runs</Trans></h1>
        <LogTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet">
        <Trans>A table with one run a line, saved as CSV. Nothing is stored before you say so; a row that was brought before is known again. The shelf stays as it is: that plastic was used long ago.</Trans>
      </p>
      <label className="btn btn-outline btn-sm mt-3 font-normal has-focus-visible:outline-2">
        {file ? t`Another file than ${file.name}` : t`Choose a CSV file`}
        <input type="file" accept=".csv,.tsv,.txt,text/csv" className="sr-only" onChange={(event) => event.target.files?.[0] && void look(event.target.files[0])} />
      </label>
      {problem && (
        <p role="alert" className="mt-2 text-error">
          {problem}
        </p>
      )}
      {done && (
        <p role="status" className="mt-3 border-l-4 border-success pl-3">
          <Trans>
            {done.added} runs were brought{done.known > 0 && t`, ${done.known} were there already`}
            {done.left_out > 0 && t`, ${done.left_out} could not be read`}.{" "}
            <Link className="underline" to="/log">
              To the log
            </Link>
          </Trans>
        </p>
      )}
      {preview && file && !done && <Look preview={preview} busy={busy} onMatch={(matched) => void look(file, matched)} onBring={() => void bring()} />}
    </div>
  );
}

interface LookProps {
  preview: ImportPreview;
  busy: boolean;
  onMatch: (matched: Matched) => void;
  onBring: () => void;
}

function Look({ preview, busy, onMatch, onBring }: LookProps) {
  const { matched } = preview;
  const good = preview.rows - preview.problems;
  const set = (at: number, field: string) =>
    onMatch({ ...matched, columns: matched.columns.map((one, index) => (index === at ? ((field || null) as Matched["columns"][number]) : one === field ? null : one)) });
  return (
    <>
      <h2 className="mt-5 font-serif text-2xl"><Trans>What each column holds</Trans></h2>
      <p className="text-sm text-quiet">{preview.remembered ? t`As you matched these headings the last time.` : t`Guessed from the headings; change what is wrong. It is remembered.`}</p>
      <div className="mt-2 overflow-x-auto" tabIndex={0} role="region" aria-label={t`Columns of the file`}>
        <table className="text-sm">
          <thead>
            <tr>
              {preview.headings.map((heading, at) => (
                <th key={at} className="border-l border-rule px-2 text-left font-normal">
                  <span className="block font-semibold">{heading || t`column ${at + 1}`}</span>
                  <select className="select select-xs w-36 border-rule" aria-label={t`What ${heading || t`column ${at + 1}`} holds`} value={matched.columns[at] ?? ""} onChange={(event) => set(at, event.target.value)}>
                    <option value="">{t`left out`}</option>
                    {Object.entries(preview.fields).map(([field, name]) => (
                      <option key={field} value={field}>
                        {name}
                      </option>
                    ))}
                  </select>
                </th>
              ))}
            </tr>
          </thead>
          <tbody className="text-quiet">
            {preview.sample.map((row, at) => (
              <tr key={at}>
                {row.map((cell, index) => (
                  <td key={index} className="max-w-40 truncate border-l border-rule px-2">
                    {cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-2 flex flex-wrap gap-4 text-sm">
        <label>
          <Trans>Bare times are in</Trans>{" "}
          <select className="select select-xs w-24 border-rule" value={matched.time_unit} onChange={(event) => onMatch({ ...matched, time_unit: event.target.value as Matched["time_unit"] })}>
            <option>{t`minutes`}</option>
            <option>{t`hours`}</option>
            <option>{t`seconds`}</option>
          </select>
        </label>
        <label>
          <Trans>3/4/2026 is</Trans>{" "}
          <select className="select select-xs w-28 border-rule" value={matched.day_first ? "day" : "month"} onChange={(event) => onMatch({ ...matched, day_first: event.target.value === "day" })}>
            <option value="day">{t`3 April`}</option>
            <option value="month">{t`4 March`}</option>
          </select>
        </label>
      </div>
      <h2 className="mt-5 font-serif text-2xl"><Trans>How it is read</Trans></h2>
      <ul className="mt-1 divide-y divide-base-300 text-sm">
        {preview.lines.map((line) => (
          <li key={line.row} className="flex flex-wrap gap-x-3 py-1">
            <span className="w-14 text-quiet"><Trans>line {line.row}</Trans></span>
            {(line.problems ?? []).length > 0 ? (
              <span className="text-error">{(line.problems ?? []).join(" ")}</span>
            ) : (
              <span>
                <strong className="font-semibold">{line.part}</strong>
                {[
                  line.started_at && new Date(line.started_at).toLocaleDateString(),
                  line.real_s != null && t`${formatDuration(line.real_s)} real`,
                  line.predicted_s != null && t`${formatDuration(line.predicted_s)} predicted`,
                  line.weight_g != null && `${line.weight_g} g`,
                  line.machine,
                  line.nozzle,
                  line.plastic,
                  line.outcome,
                  (line.faults ?? []).join(", ").replace(/_/g, " "),
                  line.note,
                ]
                  .filter(Boolean)
                  .map((told) => ` · ${String(told)}`)
                  .join("")}
              </span>
            )}
          </li>
        ))}
      </ul>
      <p className="mt-2">
        <Trans>{preview.rows} rows, {good} can be read{preview.problems > 0 && t`; ${plural(preview.problems, { one: "one cannot, and is", other: "# cannot, and are" })} left out`}.</Trans>
      </p>
      <button type="button" className="btn btn-primary mt-2 font-normal" disabled={busy || good === 0 || !matched.columns.includes("part")} onClick={onBring}>
        {busy ? t`One moment …` : t`Bring ${plural(good, { one: "# run", other: "# runs" })}`}
      </button>
      {!matched.columns.includes("part") && <p className="mt-1 text-sm text-error"><Trans>Say which column names the part.</Trans></p>}
    </>
  );
}
