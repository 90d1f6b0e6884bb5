import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, take, type Backup, type BackupContents } from "../api/client";
import { runKeys } from "../api/runs";
import { useToast } from "../components/Toasts";
import { fixed, moment } from "../lib/format";
import { throughGate } from "../lib/gate";

/** The whole workshop as one file: each night by itself, by hand, and back. */
export default function BackupsPage() {
  const queries = useQueryClient();
  const toast = useToast();
  const [busy, setBusy] = useState("");
  const [asked, setAsked] = useState<BackupContents | null>(null);
  const kept = useQuery({ queryKey: runKeys.backups, queryFn: async () => take(await api.GET("/api/backups")), refetchOnMount: "always", retry: false });
  useEffect(() => {
    document.title = t`Backups · Mean Bead`;
  }, []);
  const run = async (doing: string, work: () => Promise<void>) => {
    setBusy(doing);
    try {
      await work();
    } catch (error) {
      toast(error instanceof Error ? error.message : String(error), { tone: "error" });
    } finally {
      setBusy("");
      await queries.invalidateQueries({ queryKey: runKeys.backups });
    }
  };
  const name = (one: string) => ({ params: { path: { name: one } } });
  const check = (one: Backup, then: (contents: BackupContents) => void) =>
    void run(t`Reading ${one.name} through …`, async () => then(take(await api.POST("/api/backups/{name}/check", name(one.name)))));
  const bring = (file: File) =>
    void run(t`Bringing ${file.name} …`, async () => {
      const answer = await throughGate(new Request("/api/backups/bring", { method: "POST", body: file, headers: { "Content-Type": "application/zip" } }));
      const told = (await answer.json()) as BackupContents & { detail?: string };
      if (!answer.ok) throw new Error(told.detail ?? t`The file could not be read.`);
      setAsked(told);
    });
  const restore = () =>
    void run(t`Restoring …`, async () => {
      if (asked === null) return;
      take(await api.POST("/api/restore", { body: { name: asked.name } }));
      setAsked(null);
      await queries.invalidateQueries();
      toast(t`The workshop was restored. What it was before is the newest backup here.`);
    });
  if (kept.isLoadingError) return <p className="py-10 text-error">{kept.error.message}</p>;
  if (kept.data === undefined) return <p className="py-10 text-quiet"><Trans>One moment …</Trans></p>;
  const nightly = kept.data.backups.find((one) => one.kind === "nightly");
  return (
    <div className="max-w-4xl py-6">
      <h1 className="font-serif text-3xl"><Trans>Backups</Trans></h1>
      <p className="mt-1 text-quiet">
        <Trans>All of the workshop in one open archive: parts with their meshes, recipes, shelf, tests, runs and photos. Accounts are not in it.</Trans> <Age nightly={nightly} on={kept.data.nightly} />
      </p>
      {kept.data.problem && (
        <p role="alert" className="mt-2 border-l-4 border-error pl-3">
          <Trans>The last night’s backup could not be made. {kept.data.problem}</Trans>
        </p>
      )}
      <p className="mt-3 flex flex-wrap items-center gap-3">
        <button
          type="button"
          className="btn btn-primary btn-sm font-normal"
          disabled={busy !== ""}
          onClick={() => void run(t`Writing …`, async () => { const made = take(await api.POST("/api/backups")); window.location.assign(`/api/backups/${made.name}`); })}
        >
          <Trans>Back up now, and download</Trans>
        </button>
        <label className={`btn btn-outline btn-sm font-normal has-focus-visible:outline-2 ${busy ? "btn-disabled" : ""}`}>
          <Trans>Restore from a file …</Trans>
          <input type="file" accept=".zip" className="sr-only" disabled={busy !== ""} onChange={(event) => { if (event.target.files?.[0]) bring(event.target.files[0]); event.target.value = ""; }} />
        </label>
        <span role="status" className="text-sm text-quiet">
          {busy}
        </span>
      </p>
      {asked && (
        <section className="mt-4 border-2 border-warning p-4" aria-labelledby="sure">
          <h2 id="sure" className="font-serif text-2xl">
            <Trans>Restore the workshop of {moment(asked.made_at)}?</Trans>
          </h2>
          <p className="mt-1">
            <Trans>It holds {asked.rows.parts ?? 0} parts, {asked.rows.recipes ?? 0} recipes and {asked.rows.runs ?? 0} runs, and takes the place of the {asked.parts_here} parts and {asked.runs_here} runs that are here. Those are put aside as a backup first.</Trans>
          </p>
          <p className="mt-3 flex gap-3">
            <button type="button" className="btn btn-accent btn-sm font-normal" disabled={busy !== ""} onClick={restore}>
              <Trans>Restore it</Trans>
            </button>
            <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={() => setAsked(null)}>
              <Trans>Leave everything as it is</Trans>
            </button>
          </p>
        </section>
      )}
      <ul className="mt-4 divide-y divide-rule border-y border-rule">
        {kept.data.backups.map((one) => (
          <li key={one.name} className="flex flex-wrap items-baseline gap-x-4 py-2">
            <span className="w-36">{moment(one.made_at)}</span>
            <span className="flex-1 text-quiet">{{ nightly: t`of the night`, "by-hand": t`by hand`, "before-restore": t`put aside by a restore`, brought: "" }[one.kind]}</span>
            <span className="text-sm text-quiet">{fixed(one.size_bytes / 1e6, 1)} MB</span>
            <button type="button" className="btn btn-ghost btn-xs font-normal" disabled={busy !== ""} aria-label={t`Download ${one.name}`} onClick={() => check(one, () => window.location.assign(`/api/backups/${one.name}`))}>
              <Trans>Download</Trans>
            </button>
            <button type="button" className="btn btn-ghost btn-xs font-normal" disabled={busy !== ""} aria-label={t`Restore ${one.name}`} onClick={() => check(one, setAsked)}>
              <Trans>Restore …</Trans>
            </button>
          </li>
        ))}
      </ul>
      {kept.data.backups.length === 0 && <p className="mt-2 text-quiet"><Trans>None yet.</Trans></p>}
      <p className="mt-3 text-sm text-quiet">
        <Trans>They lie in <code className="rounded-field bg-base-200 px-1">{kept.data.folder}</code>, on this machine: a disk that breaks takes them along. Keep one elsewhere. From a shell: <code>./start --backup FILE</code>, <code>./start --restore FILE</code>.</Trans>
      </p>
    </div>
  );
}

function Age({ nightly, on }: { nightly: Backup | undefined; on: boolean }) {
  if (!on) return <span className="text-warning"><Trans>None is made at night: it was started with --no-nightly.</Trans></span>;
  return nightly === undefined ? <><Trans>The first one is made within minutes.</Trans></> : <><Trans>The last night’s is of {moment(nightly.made_at)}; seven nights are kept.</Trans></>;
}
