import type { FlowPlan } from "../../api/client";

/** What to mind, where it matters. The maker's instructions go before all of it. */
export function Cautions({ plan }: { plan: FlowPlan }) {
  return (
    <aside aria-label="Cautions" className="border-l-2 border-warning pl-3 text-sm">
      <ul className="list-disc space-y-0.5 pl-4">
        {plan.cautions.map((caution) => (
          <li key={caution}>{caution}</li>
        ))}
        <li>The maker’s own instructions go before this page.</li>
      </ul>
    </aside>
  );
}
