import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Finding, Part, RecipeColumn } from "../../api/client";
import { useFindings } from "../../api/queries";
import type { SheetActions } from "../sheet/useSheet";
import { FindingItem, useTriedFindings } from "./FindingsPanel";

interface FindingsBriefProps {
  part: Part;
  column: RecipeColumn;
  ready: boolean;
  /** There are no figures, so nothing can be said of what they would show. */
  refused?: boolean;
  /** Whether remedies may be tried now: what a person waits for goes first. */
  tries: boolean;
  actions: SheetActions;
  onAll: () => void;
}

const SHOWN = 3;
/** Notes are for who asks; what may go wrong or hurt is shown. */
const MATTERS: readonly Finding["severity"][] = ["stop", "risk", "caution"];

function hurts(finding: Finding): boolean {
  return finding.severity === "caution" || finding.severity === "stop";
}

/** The findings that matter most in the column in focus, confirmed wastes among them, and how many more there are. */
export function FindingsBrief({ part, column, ready, refused = false, tries, actions, onAll }: FindingsBriefProps) {
  const { found, list, tried, trying } = useTriedFindings(part, column, ready, tries);
  const wastes = tried?.complete ? tried.waste : [];
  const grave = (list ?? []).filter((finding) => MATTERS.includes(finding.severity));
  // Nothing that can hurt somebody is ever among the others.
  const least = grave.filter(hurts).length;
  const room = Math.max(least, wastes.length > 0 ? SHOWN - 1 : SHOWN);
  const shown = [...grave].sort((a, b) => Number(hurts(b)) - Number(hurts(a))).slice(0, room);
  const waste = wastes.slice(0, Math.max(1, SHOWN - shown.length));
  const others = (list?.length ?? 0) + wastes.length - shown.length - waste.length;
  return (
    <section aria-labelledby="brief-title" className="border-t border-rule pt-1.5">
      <div className="flex items-baseline gap-2">
        <h2 id="brief-title" className="font-serif text-lg">
          <Trans>What stands out <span className="sr-only">in {column.name}</span></Trans>
        </h2>
        <button type="button" className="btn btn-ghost btn-xs ml-auto font-normal underline" onClick={onAll} title={t`All findings, with reasons and sources (Alt+S)`}>
          {others > 0 ? t`${others} more` : t`All, with reasons`}
        </button>
      </div>
      <ul className="space-y-1.5 text-sm" aria-busy={found.isFetching} data-testid="findings-brief">
        {shown.map((finding) => (
          <FindingItem key={finding.rule} finding={finding} part={part} column={column} tried={tried?.remedies} trying={trying} actions={actions} brief />
        ))}
        {waste.map(({ finding, savings }) => (
          <FindingItem key={finding.rule} finding={finding as Finding} part={part} column={column} tried={savings} trying={false} actions={actions} saving={savings[0]} brief />
        ))}
      </ul>
      {list !== undefined && !refused && shown.length + waste.length === 0 && (
        <p className="text-sm text-quiet">{trying && !column.gcode ? t`Nothing that could go wrong; looking for waste …` : t`Nothing that could go wrong or is wasted.`}</p>
      )}
      {refused && shown.length === 0 && <p className="text-sm text-quiet"><Trans>Findings appear together with the figures.</Trans></p>}
      {list === undefined && !refused && <p className="text-sm text-quiet"><Trans>Reading the recipe …</Trans></p>}
    </section>
  );
}

/** What can hurt somebody, or stops the print, in full, whatever else is looked at. */
export function Cautions({ part, column, ready, actions }: Pick<FindingsBriefProps, "part" | "column" | "ready" | "actions">) {
  const found = useFindings(column, part, ready).data?.findings as Finding[] | undefined;
  const grave = (found ?? []).filter(hurts);
  if (grave.length === 0) return null;
  return (
    <ul className="mt-3 space-y-1.5 border-t border-rule pt-2 text-sm" aria-label={t`Cautions`}>
      {grave.map((finding) => (
        <FindingItem key={finding.rule} finding={finding} part={part} column={column} tried={undefined} trying={false} actions={actions} brief />
      ))}
    </ul>
  );
}
