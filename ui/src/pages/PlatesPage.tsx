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
    document.title = "Plates · Mean Bead";
  }, []);
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl">Plates</h1>
        <DayTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet">Several parts on one bed by one recipe, laid by their true outlines; what the whole takes, and each part's share. Many of one part need no plate: queue it with how many at once.</p>
      {plates.isLoadingError && <p className="mt-3 text-error">{plates.error.message}</p>}
      <div className="mt-3 grid gap-x-12 gap-y-6 lg:grid-cols-2">
        <section aria-labelledby="plates">
          <h2 id="plates" className="font-serif text-2xl">
            Laid so far
          </h2>
          <ul className="divide-y divide-rule">
            {plates.data?.map((one) => (
              <li key={one.id} className="relative py-2 hover:bg-base-200">
                <Link className="font-semibold after:absolute after:inset-0 hover:underline" to={`/day/plates/${one.id}`}>
                  {one.name}
                </Link>{" "}
                <span className="text-sm text-quiet">
                  {one.items} {one.items === 1 ? "part" : "parts"} on {one.machine}, {one.recipe}
                </span>
              </li>
            ))}
            {plates.data?.length === 0 && <li className="py-1 text-sm text-quiet">None yet.</li>}
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
  const [name, setName] = useState("Mixed plate");
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
        Lay a new one
      </h2>
      <form
        className="text-sm"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <label className="mt-1 flex flex-col text-quiet">
          Name
          <input className="input input-sm w-64 border-rule text-base-content" required maxLength={120} value={name} onChange={(event) => setName(event.target.value)} />
        </label>
        <fieldset className="mt-2">
          <legend className="text-quiet">How many of which</legend>
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
            By a recipe of
            <select className="select select-sm w-44 border-rule text-base-content" value={of} onChange={(event) => { setFrom(Number(event.target.value)); setColumn(undefined); }}>
              {parts.data?.map((part) => <option key={part.id} value={part.id}>{part.name}</option>)}
            </select>
          </label>
          <label className="flex flex-col text-quiet">
            Recipe
            <select className="select select-sm w-44 border-rule text-base-content" value={recipe?.id ?? ""} onChange={(event) => setColumn(Number(event.target.value))}>
              {usable.map((one) => <option key={one.id} value={one.id}>{one.name}</option>)}
            </select>
          </label>
          <button type="submit" className="btn btn-accent btn-sm" disabled={make.isPending || wanted.length === 0 || recipe === undefined}>
            {make.isPending ? "Laying …" : "Lay them"}
          </button>
        </div>
        {make.error && <p className="mt-1 text-error">{make.error.message}</p>}
      </form>
    </section>
  );
}
