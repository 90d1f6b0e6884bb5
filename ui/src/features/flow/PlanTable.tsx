import { Trans } from "@lingui/react/macro";
import type { FlowPlan } from "../../api/client";
import { fixed, plain } from "../../lib/format";

/** The strands of a plan: flow, the filament's speed, how much of it. */
export function PlanTable({ plan }: { plan: FlowPlan }) {
  const several = new Set(plan.steps.map((step) => step.temp_c)).size > 1;
  return (
    <table className="w-full text-sm tabular-nums">
      <caption className="sr-only"><Trans>What is to be run</Trans></caption>
      <thead className="text-right text-quiet">
        <tr>
          {several && <th className="py-1 font-normal">°C</th>}
          <th className="py-1 font-normal"><Trans>Flow, mm³/s</Trans></th>
          <th className="font-normal"><Trans>filament, mm/s</Trans></th>
          <th className="font-normal"><Trans>length, mm</Trans></th>
          <th className="font-normal"><Trans>should weigh, g</Trans></th>
        </tr>
      </thead>
      <tbody className="text-right">
        {plan.steps.map((step) => (
          <tr key={`${step.temp_c} ${step.flow_mm3_s}`} className="border-t border-base-300">
            {several && <td>{plain(step.temp_c)}</td>}
            <td className="font-semibold">{fixed(step.flow_mm3_s, 1)}</td>
            <td>{fixed(step.speed_mm_s, 2)}</td>
            <td>{plain(step.length_mm)}</td>
            <td>{fixed(step.expected_g, 2)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
