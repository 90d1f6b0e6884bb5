import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Experiment, type Keeping } from "../../api/client";
import { learntKeys } from "../../api/learning";
import { shelfChanged } from "../../api/queries";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";

type Kept = NonNullable<Experiment["head"]["kept"]>;

/** What the experiment says, as a sentence that one can change and keep; and into what of the workshop it goes. */
export function KeepVerdict({ experiment }: { experiment: Experiment }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const { head, sentence, keepings, verdict } = experiment;
  const [text, setText] = useState<string | null>(null);
  const [rules, setRules] = useState(head.kept?.among_rules ?? true);
  const shown = text ?? head.kept?.sentence ?? sentence;
  const store = async (kept: Kept | null) => {
    const now = take(await api.GET("/api/experiments/{experiment_id}", { params: { path: { experiment_id: head.id } } }));
    const told = take(await api.PATCH("/api/experiments/{experiment_id}", { params: { path: { experiment_id: head.id } }, body: { version: now.head.version, kept } }));
    queries.setQueryData(learntKeys.experiment(head.id), told);
    await queries.invalidateQueries({ queryKey: learntKeys.experiments });
  };
  const failed = (error: Error) => toast(error.message, { tone: "error" });
  const keep = useMutation({
    mutationFn: async (into: readonly string[]) => {
      const before = head.kept ?? null;
      const kept: Kept = { sentence: shown.trim(), among_rules: rules, into: [...new Set([...(before?.into ?? []), ...into])], at: null, who: "" };
      await store(kept);
      history.push({ label: t`the verdict of ${head.name}`, undo: () => store(before), redo: () => store(kept) });
      setText(null);
    },
    onSuccess: () => toast(t`Kept.`),
    onError: failed,
  });
  const apply = useMutation({
    mutationFn: async (keeping: Keeping) => {
      const done = await put(experiment, keeping);
      let back = done.undo;
      history.push({
        label: keeping.words.toLowerCase(),
        undo: async () => {
          await back();
          await shelfChanged(queries);
        },
        redo: async () => {
          back = (await put(experiment, keeping)).undo;
          await shelfChanged(queries);
        },
      });
      await shelfChanged(queries);
      await queries.invalidateQueries({ queryKey: ["houses"] });
      await keep.mutateAsync([keeping.words]);
    },
    onError: failed,
  });
  if (verdict == null || (sentence === "" && head.kept == null)) return null;
  return (
    <section aria-labelledby="says" className="mt-3 border border-rule bg-base-200 px-4 py-3">
      <h2 id="says" className="text-sm text-quiet">
        {head.kept ? t`Kept verdict` : t`What it says so far`}
      </h2>
      {text === null ? (
        <p className="max-w-3xl font-serif text-xl leading-snug">{shown}</p>
      ) : (
        <textarea className="textarea mt-1 w-full max-w-3xl border-rule text-base" aria-label={t`The verdict in a sentence`} rows={2} maxLength={600} value={text} onChange={(event) => setText(event.target.value)} />
      )}
      <p className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
        <button type="button" className="btn btn-accent btn-sm" disabled={keep.isPending || shown.trim() === ""} onClick={() => keep.mutate([])}>
          {head.kept ? (text === null ? t`Keep again` : t`Keep this`) : t`Keep this verdict`}
        </button>
        {text === null && (
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => setText(shown)}>
            <Trans>Say it otherwise</Trans>
          </button>
        )}
        <label className="flex min-h-7 items-center gap-1">
          <input type="checkbox" className="checkbox checkbox-xs" checked={rules} onChange={(event) => setRules(event.target.checked)} />
          <Trans>among the house rules</Trans>
        </label>
        {head.kept && sentence !== "" && sentence !== head.kept.sentence && text === null && (
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => setText(sentence)}>
            <Trans>It now says something else</Trans>
          </button>
        )}
      </p>
      {keepings.length > 0 && (
        <p className="mt-2 flex flex-wrap items-center gap-2 text-sm">
          <span className="text-quiet"><Trans>And put it to use:</Trans></span>
          {keepings.map((keeping) => (
            <button key={keeping.words} type="button" className="btn btn-outline btn-xs font-normal" title={keeping.because} disabled={apply.isPending || (head.kept?.into ?? []).includes(keeping.words)} onClick={() => apply.mutate(keeping)}>
              {keeping.words}
              {(head.kept?.into ?? []).includes(keeping.words) && " ✓"}
            </button>
          ))}
        </p>
      )}
    </section>
  );
}

/** Put a verdict to use where it belongs; gives back how to undo it. */
async function put(experiment: Experiment, keeping: Keeping): Promise<{ undo: () => Promise<void> }> {
  const cell = experiment.cells[experiment.verdict?.fastest ?? -1];
  if (cell === undefined) throw new Error(t`There is no cell that nobody faulted.`);
  if (keeping.kind === "recipe") {
    const house = take(await api.POST("/api/house-recipes", { body: { recipe_id: cell.recipe.id, name: `${experiment.head.part}: ${cell.words}`.slice(0, 120) } }));
    return {
      undo: async () => {
        take(await api.POST("/api/house-recipes/{house_id}/delete", { params: { path: { house_id: house.id } }, body: { version: house.version } }));
      },
    };
  }
  if (keeping.kind === "house_rule") {
    const write = async (value: unknown) => {
      const now = take(await api.GET("/api/house-rules"));
      take(await api.PATCH("/api/house-rules", { body: { version: now.version, rules: { ...now.rules, [keeping.key]: value } } }));
      return (now.rules as Record<string, unknown>)[keeping.key];
    };
    const before = await write(keeping.value);
    return { undo: () => write(before).then(() => undefined) };
  }
  if (keeping.kind === "machine") {
    const write = async (value: unknown) => {
      const now = take(await api.GET("/api/shelf")).machines.find((one) => one.id === cell.recipe.machine_id);
      if (now === undefined) throw new Error(t`The machine is no longer on the shelf.`);
      const printer = { ...now.printer, [keeping.key]: value };
      take(await api.PATCH("/api/machines/{row_id}", { params: { path: { row_id: now.id } }, body: { version: now.version, printer, provenance: "measured" } }));
      return (now.printer as Record<string, unknown>)[keeping.key] ?? null;
    };
    const before = await write(keeping.value);
    return { undo: () => write(before).then(() => undefined) };
  }
  const part = take(await api.GET("/api/parts/{part_id}", { params: { path: { part_id: experiment.head.part_id } } }));
  const write = async (value: unknown) => {
    const now = take(await api.GET("/api/shelf")).purposes.find((one) => one.id === part.purpose_id);
    if (now === undefined) throw new Error(t`Say first what the part is for, on its bench: the limit belongs to that.`);
    take(await api.PATCH("/api/purposes/{row_id}", { params: { path: { row_id: now.id } }, body: { version: now.version, limits: { ...now.limits, [keeping.key]: value } } }));
    return (now.limits as Record<string, unknown>)[keeping.key] ?? null;
  };
  const before = await write(keeping.value);
  return { undo: () => write(before).then(() => undefined) };
}
