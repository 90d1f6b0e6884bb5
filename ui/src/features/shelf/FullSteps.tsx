import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { api, take, type Machine } from "../../api/client";
import { fixed, plain } from "../../lib/format";

interface FullStepsProps {
  machine: Machine;
  /** Tells when a nozzle was changed. */
  nozzles: string;
  /** Make a column of the height; where there is none to make it from, the table only tells. */
  onTake?: (nozzleId: number, heightMm: number) => void;
  into?: string;
}

/** Layer heights on whole motor steps, for every nozzle up to the house's ceiling; a click takes one into a column. */
export function FullSteps({ machine, nozzles, onTake, into }: FullStepsProps) {
  const tables = useQuery({
    queryKey: ["full-steps", machine.id, machine.version, nozzles],
    queryFn: async () => take(await api.GET("/api/machines/{machine_id}/full-steps", { params: { path: { machine_id: machine.id } } })),
    staleTime: 60_000,
  });
  if (tables.data === undefined) return null;
  const step = tables.data.step_mm;
  if (step == null)
    return (
      <p className="mt-3 text-sm text-quiet">
        <Trans>Give the lead of the Z screw, or the firmware’s report, and the heights that land on whole motor steps stand here.</Trans>
      </p>
    );
  return (
    <section aria-label={t`Full-step heights`} className="mt-3 text-sm">
      <h3 className="font-serif text-lg">
        <Trans>Heights on whole steps <span className="text-sm text-quiet">of {plain(step)} mm{into && t`; a click makes a column of ${into}`}</span></Trans>
      </h3>
      <table>
        <tbody>
          {tables.data.nozzles.map((table) => (
            <tr key={table.nozzle_id} className="border-t border-base-300 align-baseline">
              <th scope="row" className="whitespace-nowrap py-0.5 pr-4 text-left font-normal">
                {table.nozzle_name}
              </th>
              <td>
                {table.heights.map((height) => {
                  const title = t`${height.steps} steps, ${fixed(height.bores, 2)} of the bore`;
                  const text = plain(height.height_mm);
                  return onTake ? (
                    <button key={height.steps} type="button" title={title} className="inline-block min-h-6 min-w-6 cursor-pointer px-1.5 underline decoration-rule underline-offset-2 hover:decoration-molten" onClick={() => onTake(table.nozzle_id, height.height_mm)}>
                      {text}
                    </button>
                  ) : (
                    <span key={height.steps} title={title} className="px-1.5">
                      {text}
                    </span>
                  );
                })}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
