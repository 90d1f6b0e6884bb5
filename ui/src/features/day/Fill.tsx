import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { api, take, type RecipeColumn } from "../../api/client";
import { useJob } from "../../api/jobs";
import { JobBar } from "../../components/JobBar";
import { fixed, formatDuration, formatMoney, percent } from "../../lib/format";

/** How many fit on a plate, and what each count comes to a piece. */
export function Fill({ column, onTake }: { column: RecipeColumn; onTake: (count: number) => void }) {
  const work = useJob(["fill", column.id, column.version, column.inputs], async () => take(await api.POST("/api/recipes/{recipe_id}/fill", { params: { path: { recipe_id: column.id } } })));
  const found = work.job?.fill;
  return (
    <div className="mt-2 text-sm">
      {!found && !work.busy && !work.problem && (
        <button type="button" className="btn btn-ghost btn-xs min-h-7 font-normal underline" onClick={work.start}>
          <Trans>How many on a plate pay best?</Trans>
        </button>
      )}
      <JobBar work={work} what={t`Filling the plate`} />
      {found && (
        <>
          <p className="font-serif text-lg">{found.says}</p>
          <div className="overflow-x-auto">
            <table className="text-right">
              <caption className="sr-only"><Trans>Pieces on a plate</Trans></caption>
              <thead>
                <tr className="border-b border-rule text-quiet">
                  {[t`on a plate`, t`takes`, t`a piece`, t`grams a piece`, t`the plate fails`, t`a good piece costs`, t`good pieces a day`, ""].map((name) => (
                    <th key={name} scope="col" className="px-2 py-0.5 font-normal">
                      {name || <span className="sr-only"><Trans>take it</Trans></span>}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {found.steps.map((step) => (
                  <tr key={step.count} className={step.count === found.best ? "bg-molten-wash font-semibold" : ""}>
                    <th scope="row" className="px-2 font-semibold">
                      {step.count}
                    </th>
                    <td className="px-2">{formatDuration(step.whole_time_s)}</td>
                    <td className="px-2">{formatDuration(step.piece_s)}</td>
                    <td className="px-2">{fixed(step.piece_g, 1)}</td>
                    <td className="px-2">{percent(step.risk)}</td>
                    <td className="px-2">
                      {formatMoney(step.cost_of_good)}
                      {step.count === found.cheapest && <span className="text-quiet"> <Trans>least</Trans></span>}
                    </td>
                    <td className="px-2">{fixed(step.per_day, 1)}</td>
                    <td className="px-2">
                      <button type="button" className="btn btn-ghost btn-xs min-h-6 font-normal underline" onClick={() => onTake(step.count)}>
                        <Trans>take {step.count}</Trans>
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
    </div>
  );
}
