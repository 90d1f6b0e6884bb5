import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { FlowPlan } from "../../api/client";

/** What to mind, where it matters. The maker's instructions go before all of it. */
export function Cautions({ plan }: { plan: FlowPlan }) {
  return (
    <aside aria-label={t`Cautions`} className="border-l-2 border-warning pl-3 text-sm">
      <ul className="list-disc space-y-0.5 pl-4">
        {plan.cautions.map((caution) => (
          <li key={caution}>{caution}</li>
        ))}
        <li><Trans>The maker’s own instructions go before this page.</Trans></li>
      </ul>
    </aside>
  );
}
