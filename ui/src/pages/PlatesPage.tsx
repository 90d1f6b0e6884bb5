import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take } from "../api/client";
import { dayChanged, usePlates } from "../api/day";
import { columnsQuery, usePartNames } from "../api/queries";
import { DayTabs } from "../features/day/DayTabs";
import { useGate } from "../features/people/useGate";

/** Plates of several parts: those that there are, and a new one. */
export default function PlatesPage() {
  const plates = usePlates();
  const me = useGate();
  useEffect(() => {
    document.title = t`Plates · Mean Bead`;
  }, []);
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Plates</Trans></h1>
        <DayTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet"><Trans>Several parts on one bed by one recipe, laid by their true outlines; what the whole takes, and each part's share. Many of one part need no plate: queue it with how many at once.</Trans></p>
      {plates.isLoadingError && <p className="mt-3 text-error">{plates.error.message}</p>}
      <div className="mt-3 grid gap-x-12 gap-y-6 lg:grid-cols-2">
        <section aria-labelledby="plates">
          <h2 id="plates" className="font-serif text-2xl">
            <Trans>Laid so far</Trans>
          </h2>
          <ul className="divide-y divide-rule">
            {plates.data?.map((one) => (
              <li key={one.id} className="relative py-2 hover:bg-base-200">
                <Link className="font-semibold after:absolute after:inset-0 hover:underline" to={`/day/plates/${one.id}`}>
                  {one.name}
                </Link>{" "}
                <span className="text-sm text-quiet">
                  <Trans><Plural value={one.items} one="# part" other="# parts" /> on {one.machine}, {one.recipe}</Trans>
                </span>
              </li>
            ))}
            {plates.data?.length === 0 && <li className="py-1 text-sm text-quiet"><Trans>None yet.</Trans></li>}
          </ul>
        </section>
        {me?.role !== "guest" && <Begin />}
      </div>
    </div>
  );
}

function Begin() {
  const parts = usePartNames();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState(t`Mixed plate`);
  const [counts, setCounts] = useState<Record<number, number>>({});
  const wanted = Object.entries(counts).filter(([, count]) => count > 0);
  const first = Number(wanted[0]?.[0] ?? parts.data?.[0]?.id ?? 0);
  const [from, setFrom] = useState<number | undefined>();
  const [column, setColumn] = useState<number | undefined>();
  const of = from ?? first;
  const columns = useQuery({ ...columnsQuery(of), enabled: of > 0 });
  const usable = (columns.data ?? []).filter((one) => one.gcode == null);
  const recipe = usable.find((one) => one.id === column) ?? usable[0];
  const make = useMutation({
    mutationFn: async () => take(await api.POST("/api/plates", { body: { name, recipe_id: recipe?.id ?? 0, counts: Object.fromEntries(wanted) } })),
    onSuccess: async (made) => {
      await dayChanged(queries);
      void navigate(`/day/plates/${made.id}`);
    },
  });
  return (
    <section aria-labelledby="begin">
      <h2 id="begin" className="font-serif text-2xl">
        <Trans>Lay a new one</Trans>
      </h2>
      <form
        className="text-sm"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <label className="mt-1 flex flex-col text-quiet">
          <Trans>Name</Trans>
          <input className="input input-sm w-64 border-rule text-base-content" required maxLength={120} value={name} onChange={(event) => setName(event.target.value)} />
        </label>
        <fieldset className="mt-2">
          <legend className="text-quiet"><Trans>How many of which</Trans></legend>
          <div className="grid max-h-56 grid-cols-2 gap-x-6 overflow-y-auto">
            {parts.data?.map((part) => (
              <label key={part.id} className="flex items-center justify-between gap-2 py-0.5">
                <span className="truncate">{part.name}</span>
                <input className="input input-xs min-h-7 w-16 border-rule text-right" type="number" min={0} max={200} value={counts[part.id] ?? 0} onChange={(event) => setCounts({ ...counts, [part.id]: Number(event.target.value) })} />
              </label>
            ))}
          </div>
        </fieldset>
        <div className="mt-2 flex flex-wrap items-end gap-3">
          <label className="flex flex-col text-quiet">
            <Trans>By a recipe of</Trans>
            <select className="select select-sm w-44 border-rule text-base-content" value={of} onChange={(event) => { setFrom(Number(event.target.value)); setColumn(undefined); }}>
              {parts.data?.map((part) => <option key={part.id} value={part.id}>{part.name}</option>)}
            </select>
          </label>
          <label className="flex flex-col text-quiet">
            <Trans>Recipe</Trans>
            <select className="select select-sm w-44 border-rule text-base-content" value={recipe?.id ?? ""} onChange={(event) => setColumn(Number(event.target.value))}>
              {usable.map((one) => <option key={one.id} value={one.id}>{one.name}</option>)}
            </select>
          </label>
          <button type="submit" className="btn btn-accent btn-sm" disabled={make.isPending || wanted.length === 0 || recipe === undefined}>
            {make.isPending ? t`Laying …` : t`Lay them`}
          </button>
        </div>
        {make.error && <p className="mt-1 text-error">{make.error.message}</p>}
      </form>
    </section>
  );
}
