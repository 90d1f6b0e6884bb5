import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Lever, RecipeColumn } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { formatDurationDifference, formatGrams } from "../../lib/format";
import type { SheetActions } from "../sheet/useSheet";
import { applyBeside, applyHere } from "./apply";

interface LeverButtonsProps {
  lever: Lever;
  column: RecipeColumn;
  actions: SheetActions;
  usable?: boolean;
}

/** Make a change in the column, or in a copy beside it. */
export function LeverButtons({ lever, column, actions, usable = true }: LeverButtonsProps) {
  const toast = useToast();
  const failed = (error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" });
  const about = `${lever.label}, ${formatDurationDifference(lever.time_s)}, ${formatGrams(lever.filament_g)}`;
  return (
    <span className="inline-flex gap-1 whitespace-nowrap">
      <button
        type="button"
        className="btn btn-outline btn-xs"
        disabled={!usable}
        aria-label={t`Apply to this column: ${about}`}
        onClick={() => void applyHere(actions, column, lever.settings, lever.label).catch(failed)}
      >
        <Trans>Apply</Trans>
      </button>
      <button
        type="button"
        className="btn btn-ghost btn-xs px-1"
        disabled={!usable}
        aria-label={t`As new column: ${about}`}
        title={t`In a copy of this column, beside it`}
        onClick={() => void applyBeside(actions, column, lever.settings, lever.label).catch(failed)}
      >
        <Trans>As new</Trans>
      </button>
    </span>
  );
}
