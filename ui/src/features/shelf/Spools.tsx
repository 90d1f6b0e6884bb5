import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Shelf, type Spool } from "../../api/client";
import { keys } from "../../api/queries";
import { parseNumber, plain } from "../../lib/format";
import { useHistory, type Step } from "../../components/history";
import { inLine } from "../../lib/inLine";
import { useToast } from "../../components/Toasts";

/** Spools: grams left and when each was dried. Findings speak of the fullest one of a material. */
export function Spools({ shelf }: { shelf: Shelf }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const refresh = async () => {
    await queries.invalidateQueries({ queryKey: keys.shelf });
    await queries.invalidateQueries({ queryKey: ["findings"] });
  };
  const newest = (id: number) => queries.getQueryData<Shelf>(keys.shelf)?.spools.find((one) => one.id === id)?.version ?? 0;
  const store = (id: number, change: { left_g?: number; dried_on?: string | null }) =>
    inLine(`spool ${id}`, async () => {
      take(await api.PATCH("/api/spools/{spool_id}", { params: { path: { spool_id: id } }, body: { version: newest(id), ...change } }));
      await refresh();
    });
  const failed = (error: Error) => toast(error.message, { tone: "error" });
  const edit = useMutation({
    mutationFn: async ({ spool, to, label }: { spool: Spool; to: { left_g?: number; dried_on?: string | null }; label: string }) => {
      await store(spool.id, to);
      const from = { ...("left_g" in to && { left_g: spool.left_g }), ...("dried_on" in to && { dried_on: spool.dried_on }) };
      history.push({ label, undo: () => store(spool.id, from), redo: () => store(spool.id, to) });
    },
    onError: failed,
  });
  const away = (id: number) => async () => {
    take(await api.POST("/api/spools/{spool_id}/delete", { params: { path: { spool_id: id } }, body: { version: newest(id) } }));
    await refresh();
  };
  const back = (id: number) => async () => {
    take(await api.POST("/api/spools/{spool_id}/restore", { params: { path: { spool_id: id } } }));
    await refresh();
  };
  const remove = useMutation({
    mutationFn: async (spool: Spool) => {
      await away(spool.id)();
      const step: Step = { label: `taking ${spool.name} off the shelf`, undo: back(spool.id), redo: away(spool.id) };
      history.push(step);
      toast(`${spool.name} was taken off the shelf.`, { action: { label: "Undo", run: () => void history.undoStep(step) } });
    },
    onError: failed,
  });
  const add = useMutation({
    mutationFn: async (material: Shelf["materials"][number]) => {
      const body = { name: material.name, material_id: material.id, left_g: 1000 };
      const made = take(await api.POST("/api/spools", { body }));
      await refresh();
      history.push({ label: `the spool of ${material.name}`, undo: away(made.id), redo: back(made.id) });
    },
    onError: failed,
  });
  return (
    <section aria-labelledby="spools" className="mt-8">
      <div className="flex flex-wrap items-baseline gap-3">
        <h2 id="spools" className="font-serif text-2xl">
          Spools
        </h2>
        <select
          className="select select-xs w-48 border-rule bg-base-100"
          aria-label="Add a spool of"
          value=""
          onChange={(event) => {
            const material = shelf.materials.find((one) => one.id === Number(event.target.value));
            if (material) add.mutate(material);
          }}
        >
          <option value="">Add a spool of …</option>
          {shelf.materials.map((material) => (
            <option key={material.id} value={material.id}>
              {material.name}
            </option>
          ))}
        </select>
      </div>
      {shelf.spools.length === 0 ? (
        <p className="text-quiet">With a spool’s grams here, a print that needs more is found before it is started.</p>
      ) : (
        <table className="mt-1 w-full max-w-3xl text-sm">
          <thead className="text-left text-quiet">
            <tr>
              <th scope="col" className="font-normal">Spool</th>
              <th scope="col" className="font-normal">Material</th>
              <th scope="col" className="font-normal">Left, g</th>
              <th scope="col" className="font-normal">Dried on</th>
              <th scope="col">
                <span className="sr-only">Remove</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shelf.spools.map((spool) => (
              <tr key={spool.id} className="border-t border-rule">
                <th scope="row" className="py-1 text-left font-normal">{spool.name}</th>
                <td>{shelf.materials.find((one) => one.id === spool.material_id)?.name}</td>
                <td>
                  <Grams spool={spool} onChange={(left_g) => edit.mutate({ spool, to: { left_g }, label: `what is left of ${spool.name}` })} />
                </td>
                <td>
                  <input
                    type="date"
                    className="input input-xs w-36 border-rule bg-base-100"
                    aria-label={`${spool.name}, dried on`}
                    value={spool.dried_on ?? ""}
                    onChange={(event) =>
                      edit.mutate({ spool, to: { dried_on: event.target.value || null }, label: `when ${spool.name} was dried` })
                    }
                  />
                </td>
                <td className="text-right">
                  <button type="button" className="btn btn-ghost btn-xs text-quiet" aria-label={`Remove ${spool.name}`} onClick={() => remove.mutate(spool)}>
                    Remove
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Grams({ spool, onChange }: { spool: Spool; onChange: (grams: number) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const commit = () => {
    const grams = typed === null ? NaN : parseNumber(typed);
    setTyped(null);
    if (grams >= 0 && grams !== spool.left_g) onChange(grams);
  };
  return (
    <input
      className="input input-xs w-20 border-rule bg-base-100 text-right"
      inputMode="decimal"
      aria-label={`${spool.name}, grams left`}
      value={typed ?? plain(spool.left_g)}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
