import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, take, type RecipeColumn } from "../../api/client";
import { useShelf } from "../../api/queries";
import { runChanged } from "../../api/runs";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";

/** Start a run from a column: how many plates, from which spool, and which run it is to do better than. */
export function StartRun({ column }: { column: RecipeColumn }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const navigate = useNavigate();
  const shelf = useShelf();
  const dialog = useRef<HTMLDialogElement>(null);
  const key = useRef("");
  const asked = Number(useSearchParams()[0].get("follows") ?? 0);
  const follows = column.tries_run_id ?? (asked > 0 ? asked : null);
  const [plates, setPlates] = useState("1");
  const [spool, setSpool] = useState<number | undefined>();
  const [links, setLinks] = useState(true);
  const count = Number(plates);
  const spools = shelf.data?.spools.filter((one) => one.material_id === column.material_id && !one.removed) ?? [];
  const usual = spools.find((one) => one.id === column.spool_id) ?? spools.find((one) => one.id === shelf.data?.machines.find((machine) => machine.id === column.machine_id)?.spool_id);
  const start = useMutation({
    mutationFn: async () =>
      take(
        await api.POST("/api/recipes/{recipe_id}/runs", {
          params: { path: { recipe_id: column.id } },
          body: { key: key.current, plates: count, ...(spool === undefined ? {} : { spool_id: spool }), ...(follows !== null && links ? { follows_id: follows } : {}) },
        }),
      ),
    onSuccess: async (run) => {
      dialog.current?.close();
      await runChanged(queries, run);
      const path = { params: { path: { run_id: run.id } } };
      let { version } = run;
      history.push({
        label: t`starting run ${run.id}`,
        undo: async () => {
          const gone = take(await api.POST("/api/runs/{run_id}/delete", { ...path, body: { version } }));
          await runChanged(queries, gone);
        },
        redo: async () => {
          const back = take(await api.POST("/api/runs/{run_id}/restore", path));
          version = back.version;
          await runChanged(queries, back);
        },
      });
      void navigate(`/log/${run.id}`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const open = () => {
    // One key for one opening: an answer that got lost can be asked for again.
    key.current = crypto.randomUUID();
    dialog.current?.showModal();
  };
  return (
    <>
      <button type="button" className="btn btn-accent btn-xs font-normal" disabled={column.problem != null} onClick={open}>
        <Trans>Print it</Trans>
      </button>
      <dialog ref={dialog} className="modal" aria-labelledby={`print-${column.id}`}>
        <form
          className="modal-box max-w-sm rounded-box border border-rule text-base"
          onSubmit={(event) => {
            event.preventDefault();
            start.mutate();
          }}
        >
          <h2 id={`print-${column.id}`} className="font-serif text-2xl">
            <Trans>Print {column.name}</Trans>
          </h2>
          <p className="mt-1 text-sm text-quiet"><Trans>What it is printed with is kept as it stands now. What came of it is entered at the machine.</Trans></p>
          <label className="mt-3 flex items-center justify-between gap-3">
            <Trans>Plates, one after the other</Trans>
            <input className="input input-sm w-20 border-rule text-right" type="number" min={1} max={10000} required value={plates} onChange={(event) => setPlates(event.target.value)} />
          </label>
          <label className="mt-2 flex items-center justify-between gap-3">
            <Trans>Spool</Trans>
            <select className="select select-sm w-48 border-rule" value={spool ?? ""} onChange={(event) => setSpool(event.target.value ? Number(event.target.value) : undefined)}>
              <option value="">{usual ? usual.name : spools.length > 0 ? t`the fullest one` : t`none on the shelf`}</option>
              {spools.filter((one) => one.id !== usual?.id).map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
            </select>
          </label>
          {follows !== null && (
            <label className="mt-2 flex items-center gap-2">
              <input type="checkbox" className="checkbox checkbox-sm" checked={links} onChange={(event) => setLinks(event.target.checked)} />
              <Trans>It follows run #{follows}</Trans>
            </label>
          )}
          <p className="mt-3 text-sm text-quiet"><Trans>Unattended printing is a fire risk: a smoke alarm, clear surroundings, the maker’s and the insurer’s terms.</Trans></p>
          <div className="modal-action">
            <button type="button" className="btn btn-ghost btn-sm" onClick={() => dialog.current?.close()}>
              <Trans>Not now</Trans>
            </button>
            <button type="submit" className="btn btn-accent btn-sm" disabled={start.isPending || !(count >= 1)}>
              {start.isPending ? t`Keeping it …` : t`Start the run`}
            </button>
          </div>
        </form>
      </dialog>
    </>
  );
}
