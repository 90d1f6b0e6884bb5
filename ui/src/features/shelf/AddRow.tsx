import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, take, type Shelf } from "../../api/client";
import { shelfChanged } from "../../api/queries";
import { useToast } from "../../components/Toasts";
import { Wizard } from "./Wizard";
import type { KindInfo, KindKey } from "./shelfKinds";
import type { ShelfRows } from "./useShelfRows";

interface AddRowProps {
  kind: KindInfo;
  shelf: Shelf;
  rows: ShelfRows;
  /** Show a new row; `ask` opens what its firmware can be asked with. */
  onAdded: (id: number, kind?: KindKey, ask?: boolean) => void;
}

/** Ways to a new row: from typical ones, by five questions, or from a file. */
export function AddRow({ kind, shelf, rows, onAdded }: AddRowProps) {
  const toast = useToast();
  const queries = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
  const [asking, setAsking] = useState(false);
  const library = useQuery({
    queryKey: ["library"],
    queryFn: async () => take(await api.GET("/api/library/materials")).materials,
    enabled: kind.key === "materials",
    staleTime: Infinity,
  });
  const failed = (error: unknown) => toast(error instanceof Error ? error.message : t`It could not be added.`, { tone: "error" });
  const add = (body: Record<string, unknown>, ask = false) =>
    void rows.add(body, `the new ${kind.one}`).then((id) => onAdded(id, kind.key, ask)).catch(failed);
  const take_in = async (chosen: File) => {
    try {
      const given: unknown = JSON.parse(await chosen.text());
      const made = take(await api.POST("/api/shelf/import", { body: given as never }));
      await shelfChanged(queries);
      toast(t`${made.name} is on the shelf.`);
      onAdded(made.id, KIND_OF[made.kind]);
    } catch (error) {
      failed(error instanceof SyntaxError ? new Error(t`That file is no JSON.`) : error);
    }
  };
  return (
    <div className="mt-2 space-y-2 text-sm">
      {kind.key === "materials" ? (
        <AddLike
          label={t`Add a material like`}
          options={(library.data ?? []).map(({ name = "" }) => ({ value: name, label: name }))}
          onAdd={(like) => add({ like })}
        />
      ) : kind.key === "spools" ? (
        <AddLike
          label={t`Add a spool of`}
          options={shelf.materials.filter((one) => !one.removed).map((one) => ({ value: String(one.id), label: one.name }))}
          onAdd={(id) => {
            const material = shelf.materials.find((one) => one.id === Number(id));
            if (material) add({ name: material.name, material_id: material.id, left_g: material.material.spool_g ?? 1000 });
          }}
        />
      ) : (
        <button type="button" className="btn btn-accent btn-sm w-full" onClick={() => (kind.key === "machines" ? setAsking(!asking) : add({}))} aria-expanded={kind.key === "machines" ? asking : undefined}>
          <Trans>Add a {kind.one}</Trans>
        </button>
      )}
      <button type="button" className="btn btn-outline btn-xs w-full font-normal" onClick={() => file.current?.click()}>
        <Trans>From a file …</Trans>
      </button>
      <input
        ref={file}
        type="file"
        accept=".json,application/json"
        className="hidden"
        aria-label={t`File of a shelf row`}
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          event.target.value = "";
          if (chosen) void take_in(chosen);
        }}
      />
      {asking && (
        <Wizard
          onMade={(body, ask) => {
            setAsking(false);
            add(body, ask);
          }}
          onClose={() => setAsking(false)}
        />
      )}
    </div>
  );
}

interface AddLikeProps {
  label: string;
  options: readonly { value: string; label: string }[];
  onAdd: (value: string) => void;
}

/** Pick what the new row is like, then add it: a list alone would add whatever a letter first finds. */
function AddLike({ label, options, onAdd }: AddLikeProps) {
  const [picked, setPicked] = useState("");
  const value = picked || (options[0]?.value ?? "");
  return (
    <form
      className="flex gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (value !== "") onAdd(value);
      }}
    >
      <select className="select select-sm min-w-0 flex-1 border-rule bg-base-100" aria-label={label} value={value} onChange={(event) => setPicked(event.target.value)}>
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.label}
          </option>
        ))}
      </select>
      <button type="submit" className="btn btn-accent btn-sm" disabled={value === ""}>
        <Trans>Add</Trans>
      </button>
    </form>
  );
}

const KIND_OF: Record<string, KindKey> = {
  machine: "machines",
  nozzle: "nozzles",
  material: "materials",
  spool: "spools",
  purpose: "purposes",
};
