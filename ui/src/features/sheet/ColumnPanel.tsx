import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type RecipeColumn } from "../../api/client";
import { keys } from "../../api/queries";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { StartRun } from "./StartRun";

/** What can be done with the column in focus as a whole. */
export function ColumnPanel({ column }: { column: RecipeColumn }) {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const refresh = async () => {
    await Promise.all([
      queries.invalidateQueries({ queryKey: keys.houses }),
      queries.invalidateQueries({ queryKey: keys.columns(column.part_id) }),
    ]);
  };
  const keep = useMutation({
    mutationFn: async () => take(await api.POST("/api/house-recipes", { body: { recipe_id: column.id } })),
    onSuccess: async (house) => {
      await refresh();
      const path = { house_id: house.id };
      history.push({
        label: t`keeping ${house.name} for the house`,
        undo: async () => {
          take(await api.POST("/api/house-recipes/{house_id}/delete", { params: { path }, body: { version: house.version } }));
          await refresh();
        },
        redo: async () => {
          const back = take(await api.POST("/api/house-recipes/{house_id}/restore", { params: { path } }));
          house.version = back.version;
          await refresh();
        },
      });
      toast(t`“${house.name}” is a house recipe now.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const { house } = column;
  const update = useMutation({
    mutationFn: async () => {
      if (!house) throw new Error(t`There is no house recipe to update.`);
      return take(
        await api.PATCH("/api/house-recipes/{house_id}", {
          params: { path: { house_id: house.id } },
          body: { version: house.newest, recipe_id: column.id },
        }),
      );
    },
    onSuccess: async (kept) => {
      await refresh();
      const take_again = (version: number) => async () => {
        const { recipes } = take(await api.GET("/api/house-recipes"));
        const now = recipes.find((one) => one.id === kept.id)?.version ?? 0;
        take(
          await api.PATCH("/api/house-recipes/{house_id}", {
            params: { path: { house_id: kept.id } },
            body: { version: now, take_version: version },
          }),
        );
        await refresh();
      };
      history.push({
        label: t`updating the house recipe ${kept.name}`,
        undo: take_again(kept.version - 1),
        redo: take_again(kept.version),
      });
      toast(t`“${kept.name}” now holds what this column holds. What it held before stays in its history.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  if (column.gcode) {
    return (
      <section className="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm sm:ml-auto" aria-label={t`${column.name} as a whole`}>
        <StartRun column={column} />
        <Link className="underline" to={`/parts/${column.part_id}/send?column=${column.id}`}>
          <Trans>Send it to the machine</Trans>
        </Link>{" "}
        <Link className="underline" to={`/recipes/${column.id}/comments`}>
          <Trans>What its comments say</Trans>
        </Link>
      </section>
    );
  }
  return (
    <section className="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm sm:ml-auto" aria-label={t`${column.name} as a whole`}>
      <span className="max-w-40 truncate text-quiet">{column.name}:</span>
      <StartRun column={column} />
      <Link className="underline" to={`/recipes/${column.id}/settings`}>
        <Trans>Settings sheet</Trans>
      </Link>
      <Link className="underline" to={`/recipes/${column.id}/history`}>
        <Trans>History</Trans>
      </Link>
      <a className="underline" href={`/api/parts/${column.part_id}/report.pdf?recipe_id=${column.id}`} target="_blank" rel="noreferrer" title={t`Figures, comparison, ledger, first layer and settings as one PDF (Alt+O)`}>
        <Trans>Report</Trans>
      </a>
      <Link className="underline" to={`/parts/${column.part_id}/layers?column=${column.id}`}>
        <Trans>Layers</Trans>
      </Link>
      <Link className="underline" to={`/parts/${column.part_id}/send?column=${column.id}`}>
        <Trans>To the machine</Trans>
      </Link>
      {house ? (
        <span>
          <Trans>
            From the house recipe{" "}
            <Link className="underline" to={`/recipes#house-${house.id}`}>
              {house.name}
            </Link>
          </Trans>
          {house.newest > house.version && <span className="text-warning"> <Trans>which has changed since</Trans></span>}.{" "}
          <button type="button" className="btn btn-ghost btn-xs" disabled={update.isPending} onClick={() => update.mutate()}>
            <Trans>Update it from this column</Trans>
          </button>
        </span>
      ) : (
        <button type="button" className="btn btn-outline btn-xs" disabled={keep.isPending} onClick={() => keep.mutate()}>
          <Trans>Keep for the house</Trans>
        </button>
      )}
    </section>
  );
}
