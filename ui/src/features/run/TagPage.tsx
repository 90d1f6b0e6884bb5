import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useCallback, useEffect, useRef, useState, type Dispatch, type SetStateAction } from "react";
import { Connection } from "../../components/Connection";
import { api, ProblemError, take, type Fault, type RunEntry, type RunTag } from "../../api/client";
import { formatDuration, formatGrams, plain } from "../../lib/format";
import { onceBack } from "../../lib/connection";
import { keepGate } from "../../lib/gate";
import { EntryForm } from "./EntryForm";
import { entryOf, sameEntry, textOf, type EntryText } from "./entryText";
import { useWaitingPhotos } from "./useWaitingPhotos";
import { keepWaiting, readWaiting, sendWaiting, type Told } from "./waiting";

const AGAIN_MS = 3000;

/** What came of a run, entered at the machine with one hand. What is typed stays in the phone until it is stored. */
export function TagPage({ runId }: { runId: number }) {
  const [tag, setTag] = useState<RunTag | null>(null);
  const [faults, setFaults] = useState<Fault[]>([]);
  const [problem, setProblem] = useState("");
  const read = useCallback(async () => {
    try {
      const me = take(await api.GET("/api/me"));
      keepGate({ token: me.csrf ?? null, renew: async () => keepGate({ token: take(await api.GET("/api/me")).csrf ?? null }) });
      const [found, known] = await Promise.all([api.GET("/api/runs/{run_id}/tag", { params: { path: { run_id: runId } } }), api.GET("/api/faults")]);
      setTag(take(found));
      setFaults(take(known).faults);
      setProblem("");
    } catch (error) {
      // Whoever is not signed in signs in there, and comes back.
      if (error instanceof ProblemError && error.status === 401) window.location.replace(`/log/${runId}/enter`);
      else setProblem(error instanceof ProblemError ? error.message : t`There is no connection to the workshop just now.`);
    }
  }, [runId]);
  useEffect(() => {
    // eslint-disable-next-line react-hooks/set-state-in-effect -- what is read is set when it is there
    void read();
  }, [read]);
  useEffect(() => onceBack(() => void read()), [read]);
  useEffect(() => {
    if (tag) document.title = `#${tag.id} ${tag.name} · Mean Bead`;
  }, [tag]);
  if (tag === null) {
    return (
      <main className="p-4">
        <p role={problem ? "alert" : undefined}>{problem || t`One moment …`}</p>
        {problem && (
          <button type="button" className="btn mt-3" onClick={() => void read()}>
            <Trans>Try again</Trans>
          </button>
        )}
        {problem && (
          <a className="ml-3 underline" href="/log">
            <Trans>To the log</Trans>
          </a>
        )}
      </main>
    );
  }
  return <Entering key={tag.id} tag={tag} faults={faults} onTag={setTag} />;
}

function Entering({ tag, faults, onTag }: { tag: RunTag; faults: readonly Fault[]; onTag: Dispatch<SetStateAction<RunTag | null>> }) {
  const stored = tag.entry as RunEntry;
  const [form, setForm] = useState<EntryText>(() => startOf(tag));
  const [version, setVersion] = useState(() => readWaiting(localStorage, tag.id)?.edit.version ?? tag.version);
  const [told, setTold] = useState<Told | "waiting" | null>(() => (readWaiting(localStorage, tag.id)?.draft === false ? "waiting" : null));
  const [problem, setProblem] = useState("");
  const before = useRef<RunEntry>(stored);
  const busy = useRef(false);

  const flush = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    try {
      const answer = await sendWaiting(localStorage, tag.id, async (edit) => {
        try {
          const run = take(await api.PATCH("/api/runs/{run_id}", { params: { path: { run_id: tag.id } }, body: edit }));
          onTag({ ...tag, version: run.version, entry: run.entry, panel: run.panel, photos: run.photos, started_at: run.started_at });
          return { stored: run.version };
        } catch (error) {
          if (!(error instanceof ProblemError) || !error.isFinal) return "away";
          if (error.status === 409) {
            const now = await readTag(tag.id);
            if (now === null) return "away";
            // What was sent may have arrived, and only its answer got lost.
            const sameStart = edit.started_at == null || Date.parse(edit.started_at) === Date.parse(now.started_at);
            if (sameStart && sameEntry(edit.entry as RunEntry, now.entry as RunEntry)) {
              onTag(now);
              return { stored: now.version };
            }
            return { theirs: now.version, says: t`It now says ${now.entry.state ?? ""}.` };
          }
          return { refused: error.message };
        }
      });
      if (answer === null) return;
      setTold(answer);
      if (typeof answer === "object" && "stored" in answer) setVersion(answer.stored);
    } finally {
      busy.current = false;
    }
  }, [onTag, tag]);
  useEffect(() => {
    const timer = setInterval(() => void flush(), AGAIN_MS);
    const again = () => void flush();
    const stop = onceBack(again);
    void flush();
    return () => {
      clearInterval(timer);
      stop();
    };
  }, [flush]);

  const addPhoto = useCallback(
    (photo: RunTag["photos"][number]) => onTag((now) => now && { ...now, photos: [...now.photos.filter((one) => one.id !== photo.id), photo] }),
    [onTag],
  );
  const photos = useWaitingPhotos(tag.id, addPhoto, setProblem);

  const change = (part: Partial<EntryText>) => {
    const next = { ...form, ...part };
    setForm(next);
    setProblem("");
    setTold(null);
    const entry = entryOf(next);
    if (typeof entry !== "string") keepWaiting(localStorage, { runId: tag.id, edit: { version, entry }, draft: true });
  };
  const put = (entry: RunEntry, against: number) => {
    const started = form.started_at === null ? {} : { started_at: form.started_at };
    keepWaiting(localStorage, { runId: tag.id, edit: { version: against, entry, ...started, ...(tag.panel !== entry.time_means && entry.time_s !== null ? { panel: entry.time_means } : {}) }, draft: false });
    setTold("waiting");
    void flush();
  };
  const save = (against = version) => {
    const entry = entryOf(form);
    const wrong = typeof entry === "string" ? entry : entry.state === "running" ? t`Say first what came of it: kept, scrapped or stopped.` : "";
    if (typeof entry === "string" || wrong) {
      setProblem(wrong);
      return;
    }
    before.current = stored;
    put(entry, against);
  };
  const undo = () => {
    setForm(textOf(before.current, tag.panel));
    put(before.current, version);
  };
  const weigh = async () => {
    try {
      const weight = take(await api.POST("/api/runs/{run_id}/scale", { params: { path: { run_id: tag.id } } }));
      change({ weight: plain(weight.grams) });
    } catch (error) {
      setProblem(error instanceof ProblemError ? error.message : t`The workshop does not answer just now.`);
    }
  };
  return (
    <main className="mx-auto max-w-md px-3 pb-28 pt-2">
      <Connection />
      <p className="flex items-baseline gap-2">
        <a href={`/log/${tag.id}`} className="text-sm text-quiet underline">
          #{tag.id}
        </a>
        <span className="ml-auto text-sm text-quiet">
          {tag.machine_name} · {tag.nozzle_name}
        </span>
      </p>
      <h1 className="font-serif text-2xl leading-tight">{tag.name}</h1>
      <p className="text-sm text-quiet">
        {tag.column_name}
        {tag.predicted_s != null && t` · predicted ${formatDuration(tag.predicted_s)}`}
        {tag.predicted_g != null && `, ${formatGrams(tag.predicted_g)}`}
        {tag.plates > 1 && t` · ${tag.plates} plates`}
      </p>
      <EntryForm tag={tag} faults={faults} form={form} onChange={change} onWeigh={tag.scale ? () => void weigh() : undefined} photos={photos.waiting} onPhoto={(file) => void photos.take(file)} />
      <div className="fixed inset-x-0 bottom-0 border-t border-rule bg-base-100 p-3">
        <div className="mx-auto max-w-md">
          <Saying told={told} problem={problem} onUndo={undo} onMine={(theirs) => save(theirs)} runId={tag.id} faults={form.faults.length} />
          <button type="button" className="btn btn-primary mt-1 h-14 w-full text-lg font-normal" onClick={() => save()}>
            <Trans>Store it</Trans>
          </button>
        </div>
      </div>
    </main>
  );
}

/** What is stored by now; null where nothing answers. */
async function readTag(runId: number): Promise<RunTag | null> {
  try {
    return take(await api.GET("/api/runs/{run_id}/tag", { params: { path: { run_id: runId } } }));
  } catch {
    return null;
  }
}

/** What was typed the last time and is not stored, else what is. */
function startOf(tag: RunTag): EntryText {
  const waits = readWaiting(localStorage, tag.id)?.edit.entry;
  return textOf((waits ?? tag.entry) as RunEntry, tag.panel);
}

interface SayingProps {
  told: Told | "waiting" | null;
  problem: string;
  onUndo: () => void;
  onMine: (theirs: number) => void;
  runId: number;
  faults: number;
}

function Saying({ told, problem, onUndo, onMine, runId, faults }: SayingProps) {
  if (problem) {
    return (
      <p role="alert" className="text-sm text-error">
        {problem}
      </p>
    );
  }
  if (told === null) return null;
  if (told === "waiting" || told === "away") {
    return (
      <p role="status" className="text-sm">
        {told === "waiting" ? t`Storing …` : t`No connection: it is kept in this phone, and stored as soon as the workshop answers.`}
      </p>
    );
  }
  if ("refused" in told) {
    return (
      <p role="alert" className="text-sm text-error">
        {told.refused}
      </p>
    );
  }
  if ("theirs" in told) {
    return (
      <p role="alert" className="text-sm text-error">
        <Trans>Somebody else has entered this run meanwhile. {told.says}</Trans>{" "}
        <button type="button" className="btn btn-sm" onClick={() => onMine(told.theirs)}>
          <Trans>Store mine</Trans>
        </button>{" "}
        <a className="underline" href={`/log/${runId}`}>
          <Trans>Look at theirs</Trans>
        </a>
      </p>
    );
  }
  return (
    <p role="status" className="flex items-center gap-3 text-sm">
      <span><Trans>Stored.</Trans></span>
      <button type="button" className="btn btn-sm font-normal" onClick={onUndo}>
        <Trans>Undo</Trans>
      </button>
      {faults > 0 && (
        <a className="ml-auto underline" href={`/log/${runId}/causes`}>
          <Trans>Find the cause</Trans>
        </a>
      )}
    </p>
  );
}
