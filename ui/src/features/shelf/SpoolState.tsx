import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type SubmitEvent } from "react";
import { ProblemError, type Shelf, type Spool } from "../../api/client";
import { parseNumber } from "../../lib/format";
import type { ShelfRows } from "./useShelfRows";

const STATE: Record<Spool["dryness"]["state"], string> = {
  dry: t`Dry.`,
  doubtful: t`Doubtful.`,
  damp: t`Damp.`,
  unknown: t`Not known.`,
  hardly_matters: "",
};

/** Which plastic it is, how dry it is and why, which machine holds it, and weighing it. */
export function SpoolState({ spool, shelf, rows }: { spool: Spool; shelf: Shelf; rows: ShelfRows }) {
  const [weight, setWeight] = useState("");
  const [problem, setProblem] = useState("");
  const holder = shelf.machines.find((machine) => machine.spool_id === spool.id);
  const weigh = async (event: SubmitEvent) => {
    event.preventDefault();
    const weighed_g = parseNumber(weight);
    if (Number.isNaN(weighed_g)) {
      setProblem(t`Type what the whole spool weighs, in grams.`);
      return;
    }
    try {
      await rows.edit(
        spool,
        () => ({ weighed_g, provenance: "measured" }),
        (before) => ({ left_g: (before as Spool).left_g, sources: { left_g: before.sources.left_g ?? "typical" } }),
        t`weighing ${spool.name}`,
      );
      setWeight("");
      setProblem("");
    } catch (error) {
      setProblem(error instanceof ProblemError ? (error.about("weighed_g") ?? error.message) : String(error));
    }
  };
  return (
    <section aria-label={t`Plastic and dryness`} className="mt-3 space-y-1 border-y border-rule bg-base-200 px-3 py-2 text-sm">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-1">
        <label>
          <Trans>Material</Trans>{" "}
          <select
            className="select select-xs w-56 border-rule bg-base-100"
            value={spool.material_id}
            onChange={(event) =>
              void rows.edit(spool, () => ({ material_id: Number(event.target.value) }), (before) => ({ material_id: (before as Spool).material_id }), t`the material of ${spool.name}`)
            }
          >
            {shelf.materials.filter((one) => !one.removed || one.id === spool.material_id).map((material) => (
              <option key={material.id} value={material.id}>
                {material.name}
              </option>
            ))}
          </select>
        </label>
        <span>{holder ? t`on ${holder.name}` : t`on no machine`}</span>
        <form onSubmit={(event) => void weigh(event)} className="flex items-center gap-2">
          <label>
            <Trans>Weigh the whole spool</Trans>{" "}
            <input className="input input-xs w-20 border-rule bg-base-100 text-right" inputMode="decimal" value={weight} onChange={(event) => setWeight(event.target.value)} /> g
          </label>
          <button type="submit" className="btn btn-outline btn-xs font-normal" disabled={weight.trim() === ""}>
            <Trans>Take its own weight off</Trans>
          </button>
        </form>
      </div>
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
      <p>
        <strong className={spool.dryness.state === "damp" || spool.dryness.state === "doubtful" ? "text-warning" : ""}>{STATE[spool.dryness.state]}</strong> {spool.dryness.sentence}
      </p>
    </section>
  );
}
