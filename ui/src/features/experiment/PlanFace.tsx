import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import type { Experiment, Shelf } from "../../api/client";
import { fixed, formatDuration, formatGrams } from "../../lib/format";
import { StartRun } from "../sheet/StartRun";

/** In which order the cells are printed, with what is changed in between; and what all of it takes. */
export function PlanFace({ experiment, shelf }: { experiment: Experiment; shelf: Shelf | undefined }) {
  const { plan, cells, grid } = experiment;
  const started = cells.flatMap((cell) => cell.runs.map((run) => run.id));
  return (
    <div className="mt-3 grid grid-cols-1 gap-x-10 gap-y-4 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
      <section aria-label={t`Order of printing`}>
        {plan.prints.length === 0 ? (
          <p className="text-quiet"><Trans>Everything is printed.</Trans></p>
        ) : (
          <ol className="divide-y divide-rule border-y border-rule text-sm">
            {plan.prints.map((print, place) => {
              const cell = cells[print.place];
              if (cell === undefined) return null;
              return (
                <li key={cell.recipe.id} className="py-1.5">
                  {(print.swap_nozzle || print.swap_material) && (
                    <p className="text-warning">
                      <Trans>
                        {[print.swap_nozzle && t`fit ${print.nozzle}`, print.swap_material && t`load ${print.material}`].filter(Boolean).join(", ")} on {print.machine}
                        {print.swap_nozzle && t`: hot, with the proper tool, as its maker says`}
                      </Trans>
                    </p>
                  )}
                  <div className="flex flex-wrap items-baseline gap-x-3">
                    <span className="w-6 text-right text-quiet">{place + 1}</span>
                    <span className="min-w-40 flex-1 font-semibold">
                      {cell.words}
                      {cell.marks.length > 0 && <span className="ml-2 font-normal text-error" title={cell.marks.join(" ")}><Trans>over a limit</Trans></span>}
                    </span>
                    <span className="text-quiet">
                      {print.machine}, {print.nozzle}
                    </span>
                    <span>
                      {print.plates > 1 && `${print.plates} × `}
                      {formatDuration(print.whole_s / print.plates)}, {formatGrams(print.filament_g / print.plates)}
                    </span>
                    <StartRun column={cell.recipe} />
                  </div>
                </li>
              );
            })}
          </ol>
        )}
      </section>
      <section aria-labelledby="takes" className="text-sm">
        <h3 id="takes" className="font-serif text-lg">
          <Trans>What that takes</Trans>
        </h3>
        {plan.plates > 0 && <p>
          <Trans><Plural value={plan.plates} one="# plate" other="# plates" />, {fixed(plan.hours, 1)} h of the machine, <Plural value={plan.nozzle_swaps} _0="no nozzle to swap" one="one nozzle to swap" other="# nozzles to swap" />: no order needs fewer.</Trans>
        </p>}
        <ul>
          {Object.entries(plan.grams).map(([material, grams]) => (
            <li key={material}>
              <Trans>{formatGrams(grams)} of {material}:</Trans> <Spools shelf={shelf} material={material} grams={grams} />
            </li>
          ))}
        </ul>
        {grid.pieces > 1 && <p className="mt-1">{grid.together ? t`${grid.pieces} pieces of a cell stand on one plate: they are set alike.` : t`${grid.pieces} plates a cell, one piece each.`}</p>}
        {started.length > 0 && (
          <p className="mt-2">
            <a className="underline" href={`/log/labels?runs=${started.join(",")}`}>
              <Trans>Labels for the runs that are started</Trans>
            </a>
          </p>
        )}
        <details className="mt-2">
          <summary className="cursor-pointer"><Trans>Numbers for comparing blind: not for whoever judges</Trans></summary>
          <p className="text-quiet"><Trans>Write these under the pieces, and cover what tells them apart.</Trans></p>
          <ul className="mt-1 columns-2">
            {[...cells].sort((a, b) => a.blind - b.blind).map((cell) => (
              <li key={cell.recipe.id}>
                <strong className="inline-block w-10 text-right">{cell.blind}</strong> {cell.words}
              </li>
            ))}
          </ul>
        </details>
      </section>
    </div>
  );
}

function Spools({ shelf, material, grams }: { shelf: Shelf | undefined; material: string; grams: number }) {
  const id = shelf?.materials.find((one) => one.name === material)?.id;
  const spools = shelf?.spools.filter((one) => one.material_id === id && !one.removed) ?? [];
  const fullest = spools.reduce<(typeof spools)[number] | undefined>((best, one) => (best === undefined || one.left_g > best.left_g ? one : best), undefined);
  if (fullest === undefined) return <span className="text-warning"><Trans>no spool of it is on the shelf</Trans></span>;
  return fullest.left_g >= grams ? (
    <span className="text-quiet">
      <Trans>{fullest.name} holds {formatGrams(fullest.left_g)}, enough</Trans>
    </span>
  ) : (
    <span className="text-warning">
      <Trans>the fullest, {fullest.name}, holds {formatGrams(fullest.left_g)}: not enough for all on one spool</Trans>
    </span>
  );
}
