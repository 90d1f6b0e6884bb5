import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type SubmitEvent } from "react";
import type { Part, RecipeAdd, RecipeColumn, Shelf } from "../../api/client";
import { useHouses } from "../../api/queries";
import { useToast } from "../../components/Toasts";
import { GcodeButton } from "./GcodeButton";
import type { SheetActions } from "./useSheet";

interface NewColumnProps {
  part: Part;
  first: RecipeColumn | undefined;
  shelf: Shelf | undefined;
  actions: SheetActions;
}

/** Quick ways to fill a new column. */
export function NewColumn({ part, first, shelf, actions }: NewColumnProps) {
  const [open, setOpen] = useState(false);
  const toast = useToast();
  const houses = useHouses();
  const [line, setLine] = useState("");
  const [problem, setProblem] = useState("");

  const add = async (how: RecipeAdd) => {
    setProblem("");
    try {
      await actions.add(how);
      setLine("");
    } catch (error) {
      const message = error instanceof Error ? error.message : t`It could not be added.`;
      if (how.line === undefined) toast(message, { tone: "error" });
      else setProblem(message);
    }
  };
  const submit = (event: SubmitEvent) => {
    event.preventDefault();
    void add({ line });
  };
  const select = "select select-xs w-44 border-rule bg-base-100";
  return (
    <>
      <button type="button" className="btn btn-outline btn-xs" onClick={() => void add({})}>
        <Trans>New column</Trans>
      </button>
      <button
        type="button"
        className="btn btn-outline btn-xs"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <Trans>Fill one from …</Trans>
      </button>
      {open && (
        <div className="order-last grid w-full grid-cols-1 gap-x-6 gap-y-2 border border-rule bg-base-200 p-3 text-sm sm:grid-cols-2 xl:grid-cols-4">
          {first && !first.gcode && (
            <label>
              <span className="block"><Trans>The first column, with another nozzle</Trans></span>
              <select
                className={select}
                value=""
                onChange={(event) => void add({ copy_of: first.id, nozzle_id: Number(event.target.value) })}
              >
                <option value="" disabled>
                  {t`choose a nozzle`}
                </option>
                {shelf?.nozzles
                  .filter((nozzle) => nozzle.id !== first.nozzle_id)
                  .map((nozzle) => (
                    <option key={nozzle.id} value={nozzle.id}>
                      {nozzle.name}
                    </option>
                  ))}
              </select>
              <span className="block text-quiet"><Trans>Keeps the shell in millimetres, and height and width against the bore.</Trans></span>
            </label>
          )}
          <label>
            <span className="block"><Trans>A house recipe</Trans></span>
            <select
              className={select}
              value=""
              disabled={!houses.data?.length}
              onChange={(event) => void add({ house_id: Number(event.target.value) })}
            >
              <option value="" disabled>
                {houses.data?.length ? t`choose one` : t`none is kept yet`}
              </option>
              {houses.data?.map((house) => (
                <option key={house.id} value={house.id}>
                  {house.name}
                </option>
              ))}
            </select>
            <span className="block text-quiet"><Trans>Kept with “Keep for the house” beside the sheet.</Trans></span>
          </label>
          <form onSubmit={submit}>
            <label>
              <span className="block"><Trans>Nozzle / layer height / line width</Trans></span>
              <input
                className="input input-xs w-44 border-rule bg-base-100"
                placeholder="0.6 / 0.28 / 0.7"
                value={line}
                aria-invalid={problem !== ""}
                aria-describedby="line-problem"
                onChange={(event) => setLine(event.target.value)}
              />
            </label>
            <button type="submit" className="btn btn-ghost btn-xs" disabled={line.trim() === ""}>
              <Trans>Add</Trans>
            </button>
            <span id="line-problem" role={problem ? "alert" : undefined} className={problem ? "block text-error" : "block text-quiet"}>
              {problem || t`As people write it on a bag of nozzles.`}
            </span>
          </form>
          <div>
            <span className="block"><Trans>A G-code file</Trans></span>
            <GcodeButton part={part} onAdded={actions.added} />
            <span className="block text-quiet"><Trans>Replayed through the same motion model.</Trans></span>
          </div>
        </div>
      )}
    </>
  );
}
