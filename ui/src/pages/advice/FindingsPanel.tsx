import { useState } from "react";
import { Link } from "react-router";
import type { Estimate, Finding, Lever, Part, RecipeColumn } from "../../api/client";
import { useFindings, useRemedies } from "../../api/queries";
import { clockDifference, signed } from "../../lib/format";
import { useToast } from "../../parts/Toasts";
import type { SheetActions } from "../bench/useSheet";
import { applyHere } from "./apply";

const TONE: Record<Finding["severity"], { word: string; style: string }> = {
  stop: { word: "Stop", style: "border-error bg-error text-error-content" },
  risk: { word: "Risk", style: "border-warning text-warning" },
  waste: { word: "Waste", style: "border-info text-info" },
  note: { word: "Note", style: "border-secondary text-secondary" },
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
  estimate: Estimate | undefined;
  /** The figures are those of this version, so that findings can be asked for. */
  ready: boolean;
  actions: SheetActions;
}

/** What stands out in the column in focus, gravest first, each with why and what clears it. */
export function FindingsPanel({ part, column, estimate, ready, actions }: FindingsPanelProps) {
  const found = useFindings(column, part, ready);
  const list = (found.data?.findings ?? estimate?.findings) as Finding[] | undefined;
  const remedies = useRemedies(column, part, ready && (list?.some((one) => one.remedies.length > 0) ?? false));
  return (
    <section aria-labelledby="findings-title">
      <h2 id="findings-title" className="font-serif text-2xl">
        What stands out <span className="text-base text-quiet">in {column.name}</span>
      </h2>
      {found.data && (
        <p className="text-sm text-quiet">
          {found.data.purpose === "" ? (
            <>
              No limits are set:{" "}
              <Link className="underline" to={`/parts/${part.id}/ready`}>
                say what the part is for
              </Link>
              .
            </>
          ) : (
            <>Held against the limits of “{found.data.purpose}” and the house’s rules.</>
          )}
        </p>
      )}
      {list?.length === 0 && <p className="mt-1">Nothing. This recipe stays within all bounds.</p>}
      <ul className="mt-2 space-y-2" aria-busy={found.isFetching}>
        {list?.map((finding) => (
          <Item key={finding.rule} finding={finding} part={part} column={column} tried={remedies.data} trying={remedies.isFetching} actions={actions} />
        ))}
      </ul>
    </section>
  );
}

interface ItemProps {
  finding: Finding;
  part: Part;
  column: RecipeColumn;
  tried: Lever[] | undefined;
  trying: boolean;
  actions: SheetActions;
}

function Item({ finding, part, column, tried, trying, actions }: ItemProps) {
  const [open, setOpen] = useState(false);
  const tone = TONE[finding.severity];
  const first = finding.where[0];
  return (
    <li className="grid grid-cols-[3rem_minmax(0,1fr)] gap-2">
      <span className={`mt-0.5 h-fit rounded-field border px-1 text-center text-xs ${tone.style}`}>{tone.word}</span>
      <div>
        <p>
          {finding.sentence} <span className="text-quiet">{finding.remedy}</span>
        </p>
        <div className="mt-0.5 flex flex-wrap items-center gap-1.5">
          {finding.remedies.map((way) => {
            const trial = tried?.find((one) => one.rule === finding.rule && one.label === way.label);
            return <Way key={way.label} label={way.label} trial={trial} trying={trying} finding={finding} column={column} settings={way.settings} actions={actions} />;
          })}
          <button type="button" className="btn btn-ghost btn-xs text-quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
            Why
          </button>
          {first && (
            <Link className="text-xs underline" to={`/parts/${part.id}/ready?show=${FACT[first.kind] ?? ""}`}>
              Show where
            </Link>
          )}
          {finding.rule === "overhang" && (
            <Link className="text-xs underline" to={`/parts/${part.id}/ready?side=stand`}>
              Other ways to stand
            </Link>
          )}
        </div>
        {open && (
          <p className="mt-1 border-l-2 border-rule pl-2 text-sm">
            {finding.reason}
            {finding.source && <span className="block text-quiet">Source: {finding.source}.</span>}
            {finding.school && (
              <span className="block text-quiet">
                House rule, {finding.school}.{" "}
                <Link className="underline" to="/house-rules">
                  Change it
                </Link>
              </span>
            )}
            {finding.where.length > 0 && (
              <span className="block text-quiet">
                On the part: {finding.where.map((spot) => spot.sentence).slice(0, 3).join("; ")}
                {finding.where.length > 3 && ` and ${finding.where.length - 3} more places`}.
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
}

/** One way out, with what it costs; one that was tried and does not clear its finding is not offered. */
function Way({ label, settings, trial, trying, finding, column, actions }: WayProps) {
  const toast = useToast();
  if (trial !== undefined && !trial.clears.includes(finding.rule)) return null;
  const apply = () => {
    applyHere(actions, column, trial?.settings ?? settings, label).catch((error: unknown) =>
      toast(error instanceof Error ? error.message : String(error), { tone: "error" }),
    );
  };
  return (
    <button
      type="button"
      className="btn btn-outline btn-xs font-normal"
      title={trial?.takes.length ? `Takes: ${trial.takes.join("; ")}` : "Changes this column; it can be undone"}
      onClick={apply}
    >
      <span className="font-semibold">{label}</span>
      {trial ? (
        <span>
          {clockDifference(trial.time_s)}
          {Math.abs(trial.filament_g) >= 0.05 && `, ${signed(trial.filament_g, 1)} g`}
        </span>
      ) : (
        trying && <span className="loading loading-dots loading-xs" aria-label="trying it" />
      )}
    </button>
  );
}
