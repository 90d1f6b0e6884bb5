import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import { api, take, type RecipeVersion } from "../api/client";
import { keys } from "../api/queries";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";
import { FIELDS, shownValue, valueIn } from "../features/sheet/fields";
import { ofWords } from "../lib/format";

/** What a recipe has held, since when, and by whom; any two versions beside each other. */
export default function RecipeHistoryPage({ kind }: { kind: "column" | "house" }) {
  const id = Number(useParams().recipeId);
  const answer = useQuery({
    queryKey: ["versions", kind, id],
    queryFn: async () =>
      kind === "house"
        ? take(await api.GET("/api/house-recipes/{house_id}/versions", { params: { path: { house_id: id } } })).versions
        : take(await api.GET("/api/recipes/{recipe_id}/versions", { params: { path: { recipe_id: id } } })).versions,
    refetchOnMount: "always",
  });
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const write = async (version: number) => {
    if (kind === "house") {
      const { recipes } = take(await api.GET("/api/house-recipes"));
      const now = recipes.find((one) => one.id === id)?.version ?? 0;
      const path = { house_id: id };
      take(await api.PATCH("/api/house-recipes/{house_id}", { params: { path }, body: { version: now, take_version: version } }));
    } else {
      // Its own history says which version stands now.
      const path = { recipe_id: id };
      const now = take(await api.GET("/api/recipes/{recipe_id}/versions", { params: { path } })).versions[0]?.version ?? 0;
      take(await api.PATCH("/api/recipes/{recipe_id}", { params: { path }, body: { version: now, take_version: version } }));
    }
    await Promise.all([["versions", kind, id], keys.houses, ["columns"]].map((queryKey) => queries.invalidateQueries({ queryKey })));
  };
  const taking = useMutation({
    mutationFn: async ({ wanted, standing }: { wanted: RecipeVersion; standing: RecipeVersion }) => {
      await write(wanted.version);
      history.push({
        label: t`taking version ${wanted.version} of ${wanted.name} again`,
        undo: () => write(standing.version),
        redo: () => write(wanted.version),
      });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const [older, setOlder] = useState<number | null>(null);
  const [newer, setNewer] = useState<number | null>(null);
  const versions = answer.data ?? [];
  const name = versions[0]?.name;
  useEffect(() => {
    document.title = name ? t`History: ${name} · Mean Bead` : t`History · Mean Bead`;
  }, [name]);
  if (answer.isLoadingError) return <p className="py-8 text-error">{answer.error.message}</p>;
  if (answer.data === undefined) return <p className="py-10 text-quiet"><Trans>Looking it up …</Trans></p>;
  const right = versions.find((one) => one.version === newer) ?? versions[0];
  const left = versions.find((one) => one.version === older) ?? versions[1];
  return (
    <section className="py-6">
      <h1 className="font-serif text-3xl"><Trans>History of {versions[0]?.name ?? t`this recipe`}</Trans></h1>
      {versions.length === 0 && (
        <p className="mt-2">
          <Trans>
            Nothing is written down of it yet: it has not been changed since histories are kept.{" "}
            <Link className="underline" to="/">
              To the parts
            </Link>
          </Trans>
        </p>
      )}
      {right && left && <Difference older={left} newer={right} />}
      {left && versions[0] && left.version !== versions[0].version && (
        <button
          type="button"
          className="btn btn-outline btn-xs mt-2"
          disabled={taking.isPending}
          onClick={() => taking.mutate({ wanted: left, standing: versions[0] as RecipeVersion })}
        >
          <Trans>Take version {left.version} again</Trans>
        </button>
      )}
      {versions.length > 0 && (
        <table className="mt-5 text-sm">
          <caption className="pb-1 text-left text-quiet"><Trans>Choose any two versions to compare.</Trans></caption>
          <thead>
            <tr className="text-left text-quiet">
              <th className="pr-4 font-normal"><Trans>Before</Trans></th>
              <th className="pr-4 font-normal"><Trans>After</Trans></th>
              <th className="pr-4 font-normal"><Trans>Version</Trans></th>
              <th className="pr-4 font-normal"><Trans>When</Trans></th>
              <th className="pr-4 font-normal"><Trans>Who</Trans></th>
              <th className="font-normal"><Trans>What changed</Trans></th>
            </tr>
          </thead>
          <tbody>
            {versions.map((one, index) => (
              <tr key={one.version} className="border-t border-base-300">
                {[
                  { side: t`Before`, picked: left, pick: setOlder },
                  { side: t`After`, picked: right, pick: setNewer },
                ].map(({ side, picked, pick }) => (
                  <td key={side} className="h-7 pr-6">
                    <input
                      type="radio"
                      className="radio radio-sm"
                      name={side}
                      aria-label={t`${side}: version ${one.version}`}
                      checked={picked?.version === one.version}
                      onChange={() => pick(one.version)}
                    />
                  </td>
                ))}
                <td className="pr-4">{one.version}</td>
                <td className="whitespace-nowrap pr-4">{new Date(one.at).toLocaleString(ofWords())}</td>
                <td className="pr-4">{one.who || t`not said`}</td>
                <td>{summary(versions[index + 1], one)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

interface Line {
  label: string;
  before: string;
  after: string;
}

function differences(older: RecipeVersion, newer: RecipeVersion): Line[] {
  const named = (["name", "machine", "nozzle", "material"] as const)
    .filter((key) => older[key] !== newer[key])
    .map((key) => ({ label: `${key.charAt(0).toUpperCase()}${key.slice(1)}`, before: older[key], after: newer[key] }));
  const fields = FIELDS.flatMap((field) => {
    const [before, after] = [valueIn(older.choices, field), valueIn(newer.choices, field)];
    if (before === after) return [];
    const text = (value: typeof before) => (value === undefined ? t`default` : `${shownValue(value, field, undefined)} ${field.unit}`.trim());
    return [{ label: field.label, before: text(before), after: text(after) }];
  });
  return [...named, ...fields];
}

function summary(older: RecipeVersion | undefined, newer: RecipeVersion): string {
  if (older === undefined) return t`as first kept`;
  const lines = differences(older, newer);
  return lines.length === 0 ? t`nothing` : lines.map((line) => `${line.label}: ${line.before} → ${line.after}`).join("; ");
}

function Difference({ older, newer }: { older: RecipeVersion; newer: RecipeVersion }) {
  const lines = differences(older, newer);
  return (
    <table className="mt-4 min-w-80">
      <caption className="pb-1 text-left font-serif text-xl">
        <Trans>Version {older.version} against version {newer.version}</Trans>
      </caption>
      <tbody>
        {lines.length === 0 && (
          <tr>
            <td className="text-quiet"><Trans>They hold the same.</Trans></td>
          </tr>
        )}
        {lines.map((line) => (
          <tr key={line.label} className="border-t border-rule">
            <th scope="row" className="py-0.5 pr-6 text-left font-normal">
              {line.label}
            </th>
            <td className="pr-6 text-quiet line-through">{line.before}</td>
            <td className="font-semibold">{line.after}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
