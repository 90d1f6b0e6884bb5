import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, take, type JournalAdd, type JournalEntry } from "../api/client";
import { useShelf } from "../api/queries";
import { runKeys, useJournal } from "../api/runs";
import { useHistory, type Step } from "../components/history";
import { useToast } from "../components/Toasts";
import { LogTabs } from "../features/log/LogTabs";
import { moment } from "../lib/format";

/** What was done to machines, nozzles and spools: by hand, and as the shelf was changed. */
export default function JournalPage() {
  const [machine, setMachine] = useState<number | undefined>();
  const journal = useJournal(machine);
  const shelf = useShelf();
  useEffect(() => {
    document.title = t`Journal · Mean Bead`;
  }, []);
  const first = journal.data?.pages[0];
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Journal</Trans></h1>
        <LogTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet">
        <Trans>What was done to machines, nozzles and spools. Changes on the shelf write themselves down; what the hand does is noted here. It is looked at first when a print goes wrong.</Trans>
      </p>
      {first && shelf.data && <NoteForm kinds={first.kinds} shelf={shelf.data} />}
      <label className="mt-4 block text-sm">
        <Trans>Of</Trans>{" "}
        <select className="select select-sm w-40 border-rule" value={machine ?? ""} onChange={(event) => setMachine(event.target.value ? Number(event.target.value) : undefined)}>
          <option value="">{t`all machines`}</option>
          {shelf.data?.machines.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
      {journal.isLoadingError && <p className="mt-3 text-error">{journal.error.message}</p>}
      <ul className="mt-2 divide-y divide-rule border-y border-rule">
        {journal.data?.pages.flatMap((page) => page.entries).map((entry) => <Entry key={entry.id} entry={entry} />)}
      </ul>
      {first?.entries.length === 0 && <p className="mt-2 text-quiet"><Trans>Nothing was noted yet.</Trans></p>}
      {journal.hasNextPage && (
        <button type="button" className="btn btn-outline btn-sm mt-3 font-normal" onClick={() => void journal.fetchNextPage()}>
          <Trans>Show more</Trans>
        </button>
      )}
    </div>
  );
}

function useNoted() {
  const queries = useQueryClient();
  return () => Promise.all([queries.invalidateQueries({ queryKey: runKeys.journal }), queries.invalidateQueries({ queryKey: ["shelf"] })]);
}

function NoteForm({ kinds, shelf }: { kinds: Record<string, string>; shelf: NonNullable<ReturnType<typeof useShelf>["data"]> }) {
  const [kind, setKind] = useState("tightened");
  const [machine, setMachine] = useState(shelf.machines[0]?.id);
  const [nozzle, setNozzle] = useState<number | undefined>();
  const [spool, setSpool] = useState<number | undefined>();
  const [note, setNote] = useState("");
  const toast = useToast();
  const history = useHistory();
  const noted = useNoted();
  const ofSpool = kind.startsWith("spool");
  const add = useMutation({
    mutationFn: async () =>
      take(
        await api.POST("/api/journal", {
          body: {
            key: crypto.randomUUID(),
            kind: kind as JournalAdd["kind"],
            note,
            machine_id: ofSpool && spool !== undefined ? null : machine,
            ...(ofSpool ? { spool_id: spool } : {}),
            ...(kind === "nozzle_swapped" ? { nozzle_id: nozzle } : {}),
          },
        }),
      ),
    onSuccess: async (entry) => {
      setNote("");
      await noted();
      history.push(taking(entry, noted));
      toast(t`Noted: ${entry.name}.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const box = "select select-sm border-rule";
  return (
    <form
      className="mt-3 flex flex-wrap items-end gap-3 border border-rule bg-base-200 p-3 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <label>
        <span className="block"><Trans>What was done</Trans></span>
        <select className={`${box} w-52`} value={kind} onChange={(event) => setKind(event.target.value)}>
          {Object.entries(kinds).map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
      </label>
      {ofSpool ? (
        <label>
          <span className="block"><Trans>Spool</Trans></span>
          <select className={`${box} w-52`} required value={spool ?? ""} onChange={(event) => setSpool(event.target.value ? Number(event.target.value) : undefined)}>
            <option value="">{t`which one?`}</option>
            {shelf.spools.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
      ) : (
        <label>
          <span className="block"><Trans>Machine</Trans></span>
          <select className={`${box} w-40`} required value={machine ?? ""} onChange={(event) => setMachine(Number(event.target.value))}>
            {shelf.machines.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
      )}
      {kind === "nozzle_swapped" && (
        <label>
          <span className="block"><Trans>Now fitted</Trans></span>
          <select className={`${box} w-40`} required value={nozzle ?? ""} onChange={(event) => setNozzle(event.target.value ? Number(event.target.value) : undefined)}>
            <option value="">{t`which one?`}</option>
            {shelf.nozzles.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
      )}
      <label className="min-w-48 flex-1">
        <span className="block"><Trans>Note</Trans></span>
        <input className="input input-sm w-full border-rule bg-base-100" maxLength={1000} value={note} onChange={(event) => setNote(event.target.value)} />
      </label>
      <button type="submit" className="btn btn-primary btn-sm font-normal" disabled={add.isPending}>
        <Trans>Note it</Trans>
      </button>
      {kind === "nozzle_swapped" && <p className="w-full text-quiet"><Trans>Swap hot nozzles only with the proper tool, and by the maker’s instructions: burns.</Trans></p>}
    </form>
  );
}

/** Noting an entry, as a step that can be undone. */
function taking(entry: JournalEntry, noted: () => Promise<unknown>): Step {
  const path = { params: { path: { entry_id: entry.id } } };
  let version = entry.version;
  return {
    label: entry.name,
    undo: async () => {
      version = take(await api.POST("/api/journal/{entry_id}/delete", { ...path, body: { version } })).version;
      await noted();
    },
    redo: async () => {
      version = take(await api.POST("/api/journal/{entry_id}/restore", path)).version;
      await noted();
    },
  };
}

function Entry({ entry }: { entry: JournalEntry }) {
  const toast = useToast();
  const history = useHistory();
  const noted = useNoted();
  const takeOut = async () => {
    const back = taking(entry, noted);
    await back.undo();
    const step = { label: t`taking out ${entry.name}`, undo: back.redo, redo: back.undo };
    history.push(step);
    toast(t`The entry was taken out.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
  };
  const changed = [...new Set([...Object.keys(entry.before), ...Object.keys(entry.after)])];
  return (
    <li className="flex flex-wrap items-baseline gap-x-4 py-2">
      <span className="w-32 text-sm text-quiet">{moment(entry.at)}</span>
      <span className="min-w-0 flex-1">
        {entry.name}
        {entry.who && <span className="ml-2 text-sm text-quiet">{entry.who}</span>}
        {entry.by_shelf && <span className="ml-2 text-sm text-quiet"><Trans>on the shelf</Trans></span>}
        {changed.map((key) => (
          <span key={key} className="block text-sm text-quiet">
            {key.replace(/_/g, " ")}: {entry.before[key] || t`not set`} → {entry.after[key] || t`not set`}
          </span>
        ))}
        {entry.note && <span className="block">“{entry.note}”</span>}
      </span>
      <button type="button" className="btn btn-ghost btn-xs font-normal text-quiet" aria-label={t`Take out: ${entry.name}`} onClick={() => void takeOut().catch((error: unknown) => toast(String(error), { tone: "error" }))}>
        <Trans>Take out</Trans>
      </button>
    </li>
  );
}
