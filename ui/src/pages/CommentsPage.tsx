import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import { api, take } from "../api/client";
import { keys } from "../api/queries";
import { useToast } from "../components/Toasts";
import { FIELDS } from "../features/sheet/fields";

interface Match {
  name: string;
  key: string;
  factor?: number;
  values?: Record<string, string>;
}

const USABLE = FIELDS.filter((field) => ["number", "whole", "percent", "choice", "yesno"].includes(field.kind));

/** Names in a file's comments, matched to our settings once: every column that replays a file follows. */
export default function CommentsPage() {
  const recipe_id = Number(useParams().recipeId);
  const queries = useQueryClient();
  const toast = useToast();
  const told = useQuery({ queryKey: ["comments", recipe_id], queryFn: async () => take(await api.GET("/api/recipes/{recipe_id}/comments", { params: { path: { recipe_id } } })), refetchOnMount: "always" });
  const [changes, setChanges] = useState<Record<string, Match | null>>({});
  const [typed, setTyped] = useState<string | null>(null);
  const [search, setSearch] = useState("");
  useEffect(() => {
    document.title = t`What its comments say · Mean Bead`;
  }, []);
  const kept = useMemo(() => new Map((told.data?.rules.matches ?? []).map((match): [string, Match] => [match.name, match])), [told.data]);
  const now = (name: string) => (name in changes ? changes[name] : kept.get(name)) ?? null;
  const save = useMutation({
    mutationFn: async () => {
      const all = new Map(kept);
      for (const [name, match] of Object.entries(changes)) {
        if (match === null) all.delete(name);
        else all.set(name, match);
      }
      const rules = { pattern: typed ?? told.data?.rules.pattern ?? "", matches: [...all.values()] };
      return take(await api.PUT("/api/comment-rules", { body: { version: told.data?.house_version ?? 0, rules } }));
    },
    onSuccess: async (made) => {
      setChanges({});
      setTyped(null);
      toast(plural(made.changed, { one: "Kept; one column shows more now.", other: "Kept; # columns show more now." }));
      await queries.invalidateQueries({ queryKey: ["comments"] });
      await queries.invalidateQueries({ queryKey: keys.parts });
    },
  });
  if (told.isLoadingError) return <p className="py-10 text-error">{told.error.message}</p>;
  if (told.data === undefined) return <p className="py-10 text-quiet"><Trans>Reading the comments …</Trans></p>;
  const dirty = Object.keys(changes).length > 0 || typed !== null;
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const names = told.data.names.filter((one) => words.every((word) => one.name.toLowerCase().includes(word)));
  return (
    <div className="max-w-5xl py-5">
      <p className="text-sm">
        <Link to={`/parts/${told.data.part_id}`} className="underline">
          <Trans>The bench, {told.data.column}</Trans>
        </Link>
      </p>
      <h1 className="font-serif text-3xl"><Trans>What its comments say</Trans></h1>
      <p className="max-w-prose text-quiet">
        <Trans>Many programs write their settings into comments. Say once which of ours they are: columns that replay such files then show them beside their times, and take part in what makes the difference.</Trans>
      </p>
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <label className="text-sm">
          <Trans>Find a name</Trans>
          <input className="input input-sm block w-64 border-rule bg-base-100" value={search} onChange={(event) => setSearch(event.target.value)} />
        </label>
        <button type="button" className="btn btn-accent btn-sm font-normal" disabled={!dirty || save.isPending} onClick={() => save.mutate()}>
          <Trans>Keep it</Trans>
        </button>
        <span className="text-sm text-quiet">
          <Trans>{names.length} of {told.data.names.length} names</Trans>
        </span>
      </div>
      {save.isError && (
        <p className="mt-1 text-error" role="alert">
          {save.error.message}
        </p>
      )}
      {told.data.names.length === 0 && <p className="mt-4"><Trans>Nothing was found by the pattern below. Look into the file, and write the pattern as its comments are.</Trans></p>}
      <table className="mt-3 w-full text-left">
        <caption className="sr-only"><Trans>Names in comments and what they are here</Trans></caption>
        <thead className="text-sm text-quiet">
          <tr>
            <th className="font-normal"><Trans>in the file</Trans></th>
            <th className="font-normal"><Trans>says</Trans></th>
            <th className="font-normal"><Trans>is here</Trans></th>
            <th className="font-normal"><Trans>times</Trans></th>
          </tr>
        </thead>
        <tbody>
          {names.slice(0, 300).map((one) => {
            const match = now(one.name);
            const field = USABLE.find((other) => other.key === match?.key);
            return (
              <tr key={one.name} className="border-t border-base-300 align-baseline">
                <th scope="row" className="max-w-72 truncate py-1 pr-4 font-mono text-sm font-normal">
                  {one.name}
                </th>
                <td className="max-w-56 truncate pr-4">{one.value}</td>
                <td className="pr-4">
                  <select
                    className="select select-xs w-56 border-rule bg-base-100"
                    aria-label={t`What ${one.name} is here`}
                    value={match?.key ?? ""}
                    onChange={(event) => {
                      const key = event.target.value;
                      const percent = USABLE.find((other) => other.key === key)?.kind === "percent";
                      setChanges((all) => ({ ...all, [one.name]: key === "" ? null : { name: one.name, key, factor: percent ? 0.01 : 1 } }));
                    }}
                  >
                    <option value="">{t`nothing`}</option>
                    {USABLE.map((other) => (
                      <option key={other.key} value={other.key}>
                        {other.group}: {other.label}
                      </option>
                    ))}
                  </select>
                  {field && field.options.length > 0 && (
                    <label className="ml-2 text-sm">
                      <Trans>“{one.value}” is</Trans>{" "}
                      <select
                        className="select select-xs w-36 border-rule bg-base-100"
                        value={match?.values?.[one.value] ?? ""}
                        onChange={(event) => match && setChanges((all) => ({ ...all, [one.name]: { ...match, values: { ...match.values, [one.value]: event.target.value } } }))}
                      >
                        <option value="">{t`the same word`}</option>
                        {field.options.map((option) => (
                          <option key={option.value} value={option.value}>
                            {option.label}
                          </option>
                        ))}
                      </select>
                    </label>
                  )}
                  {one.problem && <span className="block text-sm text-error">{one.problem}</span>}
                </td>
                <td>
                  {match && field && field.options.length === 0 && (
                    <input
                      className="input input-xs w-20 border-rule bg-base-100"
                      type="number"
                      step="any"
                      aria-label={t`${one.name} times`}
                      value={match.factor ?? 1}
                      onChange={(event) => setChanges((all) => ({ ...all, [one.name]: { ...match, factor: Number(event.target.value) || 1 } }))}
                    />
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <details className="mt-4 text-sm" open={told.data.names.length === 0}>
        <summary className="cursor-pointer underline"><Trans>The pattern</Trans></summary>
        <label className="mt-1 block">
          <Trans>A regular expression with the groups <code>name</code> and <code>value</code></Trans>
          <input className="input input-sm block w-full max-w-2xl border-rule bg-base-100 font-mono" value={typed ?? told.data.rules.pattern ?? ""} onChange={(event) => setTyped(event.target.value)} />
        </label>
      </details>
    </div>
  );
}
