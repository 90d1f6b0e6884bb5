import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { addToQueue, dayChanged, usePlates } from "../../api/day";
import { columnsQuery, usePartNames, useShelf } from "../../api/queries";
import { useToast } from "../../components/Toasts";
import { Fill } from "./Fill";

/** Add something: which part or plate, how many, how many at once, by when, on which machines. */
export function QueueForm({ part: asked }: { part: number | undefined }) {
  const parts = usePartNames();
  const plates = usePlates();
  const shelf = useShelf();
  const queries = useQueryClient();
  const toast = useToast();
  const key = useRef(crypto.randomUUID());
  const [what, setWhat] = useState(asked ? `part-${asked}` : "");
  const [recipe, setRecipe] = useState<number | undefined>();
  const [quantity, setQuantity] = useState("1");
  const [perPlate, setPerPlate] = useState("");
  const [due, setDue] = useState("");
  const [priority, setPriority] = useState("0");
  const [machines, setMachines] = useState<number[]>([]);
  const [material, setMaterial] = useState<number | undefined>();
  const [pick, setPick] = useState(false);
  const chosen = what || (parts.data?.[0] ? `part-${parts.data[0].id}` : "");
  const partId = chosen.startsWith("part-") ? Number(chosen.slice(5)) : undefined;
  const plateId = chosen.startsWith("plate-") ? Number(chosen.slice(6)) : undefined;
  const columns = useQuery({ ...columnsQuery(partId ?? 0), enabled: partId !== undefined });
  const column = columns.data?.find((one) => one.id === recipe) ?? columns.data?.[0];
  const add = useMutation({
    mutationFn: () =>
      addToQueue({
        key: key.current,
        ...(plateId === undefined ? { part_id: partId, ...(recipe === undefined ? {} : { recipe_id: recipe }) } : { plate_id: plateId }),
        quantity: Number(quantity),
        ...(perPlate === "" || plateId !== undefined ? {} : { per_plate: Number(perPlate) }),
        ...(due === "" ? {} : { due_at: new Date(due).toISOString() }),
        priority: Number(priority),
        may_pick: pick,
        machine_ids: machines,
        ...(material === undefined ? {} : { material_id: material }),
      }),
    onSuccess: async (made) => {
      key.current = crypto.randomUUID();
      setQuantity("1");
      await dayChanged(queries);
      toast(t`${made.name} is in the queue: ${plural(made.plates, { one: "# plate", other: "# plates" })}.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const field = "input input-sm border-rule text-base-content";
  return (
    <form
      aria-label={t`Queue something`}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <div className="flex flex-wrap items-end gap-3 text-sm">
        <label className="flex flex-col text-quiet">
          <Trans>Part or plate</Trans>
          <select className="select select-sm w-48 border-rule text-base-content" value={chosen} onChange={(event) => { setWhat(event.target.value); setRecipe(undefined); }}>
            <optgroup label={t`Parts`}>{parts.data?.map((one) => <option key={one.id} value={`part-${one.id}`}>{one.name}</option>)}</optgroup>
            {plates.data && plates.data.length > 0 && <optgroup label={t`Plates`}>{plates.data.map((one) => <option key={one.id} value={`plate-${one.id}`}>{one.name}</option>)}</optgroup>}
          </select>
        </label>
        {plateId === undefined && (
          <label className="flex flex-col text-quiet">
            <Trans>Recipe</Trans>
            <select className="select select-sm w-44 border-rule text-base-content" value={recipe ?? ""} onChange={(event) => setRecipe(event.target.value === "" ? undefined : Number(event.target.value))}>
              <option value="">{t`the chosen one`}</option>
              {columns.data?.map((one) => <option key={one.id} value={one.id}>{one.name}</option>)}
            </select>
          </label>
        )}
        <label className="flex flex-col text-quiet">
          {plateId === undefined ? t`Pieces` : t`Times`}
          <input className={`${field} w-20 text-right`} type="number" min={1} max={40000} required value={quantity} onChange={(event) => setQuantity(event.target.value)} />
        </label>
        {plateId === undefined && (
          <label className="flex flex-col text-quiet">
            <Trans>On a plate</Trans>
            <input className={`${field} w-24 text-right`} type="number" min={1} max={400} placeholder={t`recipe's`} value={perPlate} onChange={(event) => setPerPlate(event.target.value)} />
          </label>
        )}
        <label className="flex flex-col text-quiet">
          <Trans>Due</Trans>
          <input className={`${field} w-52`} type="datetime-local" value={due} onChange={(event) => setDue(event.target.value)} />
        </label>
        <label className="flex flex-col text-quiet">
          <Trans>Priority</Trans>
          <select className="select select-sm w-28 border-rule text-base-content" value={priority} onChange={(event) => setPriority(event.target.value)}>
            <option value="2">{t`first`}</option>
            <option value="1">{t`before others`}</option>
            <option value="0">{t`usual`}</option>
            <option value="-1">{t`when there is time`}</option>
          </select>
        </label>
        <label className="flex flex-col text-quiet">
          <Trans>Plastic</Trans>
          <select className="select select-sm w-44 border-rule text-base-content" value={material ?? ""} onChange={(event) => setMaterial(event.target.value === "" ? undefined : Number(event.target.value))}>
            <option value="">{t`the recipe's`}</option>
            {shelf.data?.materials.filter((one) => !one.removed).map((one) => <option key={one.id} value={one.id}>{one.name}</option>)}
          </select>
        </label>
        <button type="submit" className="btn btn-accent btn-sm" disabled={add.isPending || chosen === ""}>
          <Trans>Queue it</Trans>
        </button>
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
        <fieldset className="flex flex-wrap items-center gap-3">
          <legend className="sr-only"><Trans>Machines that may</Trans></legend>
          <span className="text-quiet">{machines.length === 0 ? t`Any machine that fits, or only:` : t`Only:`}</span>
          {shelf.data?.machines.filter((one) => !one.removed).map((one) => (
            <label key={one.id} className="flex min-h-6 items-center gap-1">
              <input type="checkbox" className="checkbox checkbox-xs" checked={machines.includes(one.id)} onChange={(event) => setMachines(event.target.checked ? [...machines, one.id] : machines.filter((other) => other !== one.id))} />
              {one.name}
            </label>
          ))}
        </fieldset>
        {plateId === undefined && (
          <label className="flex min-h-6 items-center gap-1">
            <input type="checkbox" className="checkbox checkbox-xs" checked={pick} onChange={(event) => setPick(event.target.checked)} />
            <Trans>The plan may take any of the part's recipes that hold what it is for</Trans>
          </label>
        )}
      </div>
      {plateId === undefined && column && column.gcode == null && <Fill key={column.id} column={column} onTake={(count) => setPerPlate(String(count))} />}
    </form>
  );
}
