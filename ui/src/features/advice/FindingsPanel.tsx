import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, take, type Finding, type Lever, type Part, type RecipeColumn } from "../../api/client";
import { useJob } from "../../api/jobs";
import { useFindings } from "../../api/queries";
import { formatDurationDifference, formatGramsDifference } from "../../lib/format";
import { useToast } from "../../components/Toasts";
import type { SheetActions } from "../sheet/useSheet";
import { applyHere } from "./apply";

export const TONE: Record<Finding["severity"], { word: string; style: string }> = {
  stop: { word: t`Stop`, style: "border-error bg-error text-error-content" },
  risk: { word: t`Risk`, style: "border-warning text-warning" },
  caution: { word: t`Caution`, style: "border-error text-error" },
  waste: { word: t`Waste`, style: "border-info text-info" },
  note: { word: t`Note`, style: "border-secondary text-secondary" },
};

/** Which fact on the part shows what a finding speaks of. */
const FACT: Record<string, string> = {
  thin_wall: "thickness",
  detail: "details",
  overhang: "overhang",
  slope: "slopes",
  flat_top: "tops",
  bridge: "bridges",
  corner: "corners",
};

interface FindingsPanelProps {
  part: Part;
  column: RecipeColumn;
  /** The figures are those of this version, so that findings can be asked for. */
  ready: boolean;
  actions: SheetActions;
}

/**
 * What stands out in the column in focus, gravest first, each with why and what clears it. Remedies are tried while the
 * list stands still; wastes, which are only known then, come in below it.
 */
export function FindingsPanel({ part, column, ready, actions }: FindingsPanelProps) {
  const { found, list, work, tried, trying } = useTriedFindings(part, column, ready);
  return (
    <section aria-label={t`Findings`}>
      <p className="min-h-5 text-sm text-quiet">
        {found.data === undefined ? (
          t`Reading the recipe …`
        ) : found.data.purpose === "" ? (
          <>
            <Trans>
              No limits are set:{" "}
              <Link className="underline" to={`/parts/${part.id}/ready`}>
                say what the part is for
              </Link>
              .
            </Trans>
          </>
        ) : (
          <><Trans>Held against the limits of “{found.data.purpose}” and the house’s rules.</Trans></>
        )}
      </p>
      {list?.length === 0 && <p className="mt-1"><Trans>Nothing. This recipe stays within all bounds.</Trans></p>}
      <ul className="mt-2 space-y-2" aria-busy={found.isFetching}>
        {list?.map((finding) => (
          <FindingItem key={finding.rule} finding={finding} part={part} column={column} tried={tried?.remedies} trying={trying} actions={actions} />
        ))}
      </ul>
      {!column.gcode && list !== undefined && (
        <>
          <h3 className="mt-3 font-serif text-xl"><Trans>Waste</Trans></h3>
          <p className="min-h-5 text-sm text-quiet">
            {work.problem ?? (trying ? t`Trying what may save, on a sample of layers …` : tried?.waste.length ? t`Each confirmed on a sample of layers of this part.` : t`None that the engine could confirm.`)}
          </p>
          <ul className="mt-1 space-y-2" data-testid="waste">
            {tried?.complete &&
              tried.waste.map(({ finding, savings }) => (
                <FindingItem key={finding.rule} finding={finding as Finding} part={part} column={column} tried={savings} trying={false} actions={actions} saving={savings[0]} />
              ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** Findings of a column with the remedies that are being tried: both pages of it share the work. */
export function useTriedFindings(part: Part, column: RecipeColumn, ready: boolean, tries = true) {
  const found = useFindings(column, part, ready);
  const list = found.data?.findings as Finding[] | undefined;
  const work = useRemedies(part, column, tries && ready && found.data !== undefined && !found.isPlaceholderData);
  const tried = work.job?.remedies ?? undefined;
  const trying = work.busy || (tried === undefined && work.problem === null && !column.gcode);
  return { found, list, work, tried, trying };
}

/** The job that tries the remedies of a column's findings; it begins by itself once there are some. */
function useRemedies(part: Part, column: RecipeColumn, ready: boolean) {
  const about = ["remedies", column.id, column.version, part.version, part.facts.digest];
  const work = useJob(about, async () =>
    take(await api.POST("/api/recipes/{recipe_id}/remedies", { params: { path: { recipe_id: column.id } } })),
  );
  const { start } = work;
  const wanted = ready && !column.gcode && work.job === undefined && !work.busy && work.problem === null;
  const key = about.join(":");
  useEffect(() => {
    if (wanted) start();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- start is new at each render
  }, [wanted, key]);
  return work;
}

interface ItemProps {
  finding: Finding;
  part: Part;
  column: RecipeColumn;
  tried: Lever[] | undefined;
  trying: boolean;
  actions: SheetActions;
  /** The best confirmed saving of a waste. */
  saving?: Lever | undefined;
  /** Only what it is and the first way out of it. */
  brief?: boolean;
}

/** A finding: what it says, what clears it and at what price, and why. */
export function FindingItem({ finding, part, column, tried, trying, actions, saving, brief = false }: ItemProps) {
  const [open, setOpen] = useState(false);
  const tone = TONE[finding.severity];
  const first = finding.where[0];
  const way = (one: Finding["remedies"][number]) => {
    const trial = tried?.find((lever) => lever.rule === finding.rule && lever.label === one.label);
    return <Way key={one.label} label={one.label} trial={trial} trying={trying} confirmed={saving !== undefined} told={saving !== undefined && trial === saving} finding={finding} column={column} settings={one.settings} actions={actions} />;
  };
  if (brief) {
    const clears = finding.remedies.find((one) => saving !== undefined || trying || tried?.some((lever) => lever.rule === finding.rule && lever.label === one.label && lever.clears.includes(finding.rule)));
    return (
      <li className="grid grid-cols-[3.4rem_minmax(0,1fr)] gap-2">
        <span className={`mt-0.5 h-fit rounded-field border px-1 text-center text-xs ${tone.style}`}>{tone.word}</span>
        <div className="min-w-0">
          {/* What can hurt somebody is said in full. */}
          <p className={`leading-snug ${finding.severity === "caution" ? "" : "line-clamp-2"}`} title={`${finding.sentence} ${finding.remedy}`}>
            {finding.sentence}
            {finding.severity === "caution" && <span className="text-quiet"> {finding.remedy}</span>}
            {saving && (
              <strong>
                {" "}
                {saving.label}: {formatDurationDifference(saving.time_s)}
                {Math.abs(saving.filament_g) >= 0.05 && `, ${formatGramsDifference(saving.filament_g)}`}.
              </strong>
            )}
          </p>
          {clears && <div className="mt-0.5">{way(clears)}</div>}
        </div>
      </li>
    );
  }
  return (
    <li className="grid grid-cols-[3rem_minmax(0,1fr)] gap-2">
      <span className={`mt-0.5 h-fit rounded-field border px-1 text-center text-xs ${tone.style}`}>{tone.word}</span>
      <div>
        <p>
          {finding.sentence}{" "}
          {saving ? (
            <strong>
              {saving.label}: {formatDurationDifference(saving.time_s)}
              {Math.abs(saving.filament_g) >= 0.05 && `, ${formatGramsDifference(saving.filament_g)}`}.
            </strong>
          ) : (
            <span className="text-quiet">{finding.remedy}</span>
          )}
        </p>
        <div className="mt-0.5 flex flex-wrap items-center gap-1.5">
          {finding.remedies.map(way)}
          <button type="button" className="btn btn-ghost btn-xs" aria-expanded={open} onClick={() => setOpen(!open)}>
            <Trans>Why</Trans>
          </button>
          {first && (
            <Link className="text-xs underline" to={`/parts/${part.id}/ready?show=${FACT[first.kind] ?? ""}`}>
              <Trans>Show where</Trans>
            </Link>
          )}
          {finding.rule === "overhang" && (
            <Link className="text-xs underline" to={`/parts/${part.id}/ready?side=stand`}>
              <Trans>Other ways to stand</Trans>
            </Link>
          )}
        </div>
        {open && (
          <p className="mt-1 border-l-2 border-rule pl-2 text-sm">
            {finding.reason}
            {finding.source && <span className="block text-quiet"><Trans>Source: {finding.source}.</Trans></span>}
            {finding.school && (
              <span className="block text-quiet">
                <Trans>
                  House rule, {finding.school}.{" "}
                  <Link className="underline" to="/house-rules">
                    Change it
                  </Link>
                </Trans>
              </span>
            )}
            {finding.where.length > 0 && (
              <span className="block text-quiet">
                <Trans>
                  On the part: {finding.where.map((spot) => spot.sentence).slice(0, 3).join("; ")}
                  {finding.where.length > 3 && t` and ${finding.where.length - 3} more places`}.
                </Trans>
              </span>
            )}
          </p>
        )}
      </div>
    </li>
  );
}

interface WayProps {
  label: string;
  settings: Finding["remedies"][number]["settings"];
  trial: Lever | undefined;
  trying: boolean;
  finding: Finding;
  column: RecipeColumn;
  actions: SheetActions;
  /** It was seen to save, whether its finding falls silent or not. */
  confirmed: boolean;
  /** Its figures stand in the sentence already. */
  told: boolean;
}

/** One way out, with what it costs; one that was tried and does not clear its finding is not offered, but keeps its place. */
function Way({ label, settings, trial, trying, finding, column, actions, confirmed, told }: WayProps) {
  const toast = useToast();
  if (!trying && !confirmed && !trial?.clears.includes(finding.rule)) {
    return (
      <span className="px-2 text-xs text-quiet" title={t`Tried on a sample of layers: the finding would stay`}>
        <s>{label}</s> <Trans>does not clear it</Trans>
      </span>
    );
  }
  const apply = () => {
    applyHere(actions, column, trial?.settings ?? settings, label).catch((error: unknown) =>
      toast(error instanceof Error ? error.message : String(error), { tone: "error" }),
    );
  };
  return (
    <button
      type="button"
      className="btn btn-outline btn-xs font-normal"
      title={trial?.takes.length ? t`Takes: ${trial.takes.join("; ")}` : t`Changes this column; it can be undone`}
      onClick={apply}
    >
      <span className="font-semibold">{label}</span>
      {!told && <span className="inline-block min-w-24 text-left">
        {trial ? (
          <>
            {formatDurationDifference(trial.time_s)}
            {Math.abs(trial.filament_g) >= 0.05 && `, ${formatGramsDifference(trial.filament_g)}`}
          </>
        ) : (
          <span className="loading loading-dots loading-xs" aria-label={t`trying it`} />
        )}
      </span>}
    </button>
  );
}
