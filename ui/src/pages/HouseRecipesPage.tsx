import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link } from "react-router";
import { api, take, type House, type Shelf } from "../api/client";
import { keys, useHouses, useShelf } from "../api/queries";
import { useHistory, type Step } from "../components/history";
import { useToast } from "../components/Toasts";
import { FIELDS, shownValue, valueIn } from "../features/sheet/fields";

/** Recipes that the workshop keeps, by machine, nozzle and material. */
export default function HouseRecipesPage() {
  const houses = useHouses();
  const shelf = useShelf();
  useEffect(() => {
    document.title = t`Recipes · Mean Bead`;
  }, []);
  return (
    <section className="py-6">
      <h1 className="font-serif text-3xl"><Trans>House recipes</Trans></h1>
      <p className="text-quiet"><Trans>What has proved itself, kept for a machine, a nozzle and a material.</Trans></p>
      {houses.isError && <p className="mt-4 text-error">{houses.error.message}</p>}
      {houses.data?.length === 0 && (
        <div className="mt-8 max-w-xl rounded-box border border-dashed border-rule p-6">
          <h2 className="font-serif text-xl"><Trans>None is kept yet</Trans></h2>
          <p className="mt-1">
            <Trans>
              Open a part’s bench, go to the column that printed well, and choose “Keep for the house” beside the sheet. From then
              on any part’s column can be filled from it, and every change of it is remembered.
            </Trans>
          </p>
          <Link to="/" className="btn btn-accent btn-sm mt-3">
            <Trans>To the parts</Trans>
          </Link>
        </div>
      )}
      <ul className="mt-5 space-y-4">
        {houses.data?.map((house) => <Card key={house.id} house={house} shelf={shelf.data} />)}
      </ul>
    </section>
  );
}

function Card({ house, shelf }: { house: House; shelf: Shelf | undefined }) {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const path = { house_id: house.id };
  const refresh = () => queries.invalidateQueries({ queryKey: keys.houses });
  const remove = useMutation({
    mutationFn: async () => {
      take(await api.POST("/api/house-recipes/{house_id}/delete", { params: { path }, body: { version: house.version } }));
    },
    onSuccess: async () => {
      await refresh();
      const restore = async () => {
        take(await api.POST("/api/house-recipes/{house_id}/restore", { params: { path } }));
        await refresh();
      };
      const step: Step = {
        label: t`removing ${house.name}`,
        undo: restore,
        redo: async () => {
          const { recipes } = take(await api.GET("/api/house-recipes"));
          const version = recipes.find((one) => one.id === house.id)?.version ?? house.version;
          take(await api.POST("/api/house-recipes/{house_id}/delete", { params: { path }, body: { version } }));
          await refresh();
        },
      };
      history.push(step);
      toast(t`${house.name} was removed.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const name = (rows: { id: number; name: string }[] | undefined, id: number) => rows?.find((row) => row.id === id)?.name ?? "";
  const chosen = FIELDS.flatMap((field) => {
    const value = valueIn(house.choices, field);
    return value === undefined ? [] : [{ field, value }];
  });
  return (
    <li id={`house-${house.id}`} className="rounded-box border border-rule p-3">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 className="font-serif text-xl">{house.name}</h2>
        <p className="text-quiet">
          {name(shelf?.machines, house.machine_id)} · {name(shelf?.nozzles, house.nozzle_id)} ·{" "}
          {name(shelf?.materials, house.material_id)}
        </p>
        <p className="ml-auto flex gap-3 text-sm">
          <Link className="underline" to={`/recipes/house/${house.id}/history`}>
            <Trans>History</Trans>
          </Link>
          <button type="button" className="btn btn-ghost btn-xs" aria-label={t`Remove ${house.name}`} onClick={() => remove.mutate()}>
            <Trans>Remove</Trans>
          </button>
        </p>
      </div>
      <p className="mt-1 text-sm">
        {chosen.length === 0
          ? t`All defaults of this nozzle and material.`
          : chosen.map(({ field, value }) => `${field.label} ${shownValue(value, field, shelf)} ${field.unit}`.trim()).join(" · ")}
      </p>
      <p className="mt-1 text-sm">
        <span className="text-quiet"><Trans>Used in</Trans> </span>
        {house.used_in.length === 0
          ? t`no part yet.`
          : house.used_in.map((use, index) => (
              <span key={use.recipe_id}>
                {index > 0 && ", "}
                <Link className="underline" to={`/parts/${use.part_id}`}>
                  {use.part_name}
                </Link>
                {use.changed && <span className="text-quiet"> <Trans>(changed there)</Trans></span>}
              </span>
            ))}
      </p>
    </li>
  );
}
