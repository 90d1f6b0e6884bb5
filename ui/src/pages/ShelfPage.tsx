import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, take } from "../api/client";
import { keys, useShelf } from "../api/queries";
import { plain } from "../lib/format";
import { MachineCard } from "../features/shelf/MachineCard";
import { Spools } from "../features/shelf/Spools";

/** What recipes choose from: machines, which can be described here, and the nozzles and materials at hand. */
export default function ShelfPage() {
  const shelf = useShelf();
  const queries = useQueryClient();
  useEffect(() => {
    document.title = "Shelf · Mean Bead";
  }, []);
  const add = useMutation({
    mutationFn: async (copyOf: number | null) =>
      take(await api.POST("/api/machines", { body: copyOf === null ? {} : { copy_of: copyOf } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.shelf }),
  });
  return (
    <div className="py-6">
      <div className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h1 className="font-serif text-3xl">Shelf</h1>
          <p className="max-w-2xl text-quiet">
            A time is as true as the machine's description. Type over what you know; what you do not know, ask its
            firmware.
          </p>
        </div>
        <button type="button" className="btn btn-accent btn-sm" onClick={() => add.mutate(null)}>
          Add a machine
        </button>
      </div>
      {shelf.isError && <p className="mt-6 text-error">{shelf.error.message}</p>}
      <h2 className="mt-6 font-serif text-2xl">Machines</h2>
      <div className="mt-2 space-y-4">
        {shelf.data?.machines.map((machine) => <MachineCard key={`${machine.id}:${machine.name}`} machine={machine} />)}
      </div>
      <div className="mt-8 grid grid-cols-1 gap-8 lg:grid-cols-2">
        <section aria-labelledby="nozzles">
          <h2 id="nozzles" className="font-serif text-2xl">
            Nozzles
          </h2>
          <ul className="mt-1 divide-y divide-base-300 text-sm">
            {shelf.data?.nozzles.map(({ id, name, nozzle }) => (
              <li key={id} className="flex justify-between gap-4 py-1">
                <span>{name}</span>
                <span className="text-quiet">
                  {plain(nozzle.bore_mm ?? 0.4)} mm, {(nozzle.metal ?? "brass").replaceAll("_", " ")}
                </span>
              </li>
            ))}
          </ul>
        </section>
        <section aria-labelledby="materials">
          <h2 id="materials" className="font-serif text-2xl">
            Materials
          </h2>
          <ul className="mt-1 divide-y divide-base-300 text-sm">
            {shelf.data?.materials.map(({ id, name, material }) => (
              <li key={id} className="flex flex-wrap justify-between gap-x-4 py-1">
                <span>{name}</span>
                <span className="text-quiet">
                  {plain(material.nozzle_temp_min_c ?? 0)} to {plain(material.nozzle_temp_max_c ?? 0)} °C ·{" "}
                  {plain(material.price_per_kg ?? 0)} a kg
                  {material.ventilate ? " · ventilate" : ""}
                  {material.abrasive ? " · abrasive" : ""}
                  {material.warp_prone ? " · warps" : ""}
                  {material.damp_prone ? " · keep dry" : ""}
                </span>
              </li>
            ))}
          </ul>
        </section>
      </div>
      {shelf.data && <Spools shelf={shelf.data} />}
    </div>
  );
}
