import type { FlowPlan } from "../../api/client";
import { fixed, plain } from "../../lib/format";

/** The strands of a plan: flow, the filament's speed, how much of it. */
export function PlanTable({ plan }: { plan: FlowPlan }) {
  const several = new Set(plan.steps.map((step) => step.temp_c)).size > 1;
  return (
    <table className="w-full text-sm tabular-nums">
      <caption className="sr-only">What is to be run</caption>
      <thead className="text-right text-quiet">
        <tr>
          {several && <th className="py-1 font-normal">°C</th>}
          <th className="py-1 font-normal">Flow, mm³/s</th>
          <th className="font-normal">filament, mm/s</th>
          <th className="font-normal">length, mm</th>
          <th className="font-normal">should weigh, g</th>
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
