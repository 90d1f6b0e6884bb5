import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import type { Preview } from "../../api/client";
import { fixed } from "../../lib/format";
import { FEATURES } from "../../lib/featureStyles";

/** Flow of each bead at the speed asked for, against what the hot end melts. */
export function FlowGauge({ preview }: { preview: Preview }) {
  const ceiling = preview.melt_ceiling_mm3_s;
  const most = Math.max(ceiling * 1.15, ...preview.beads.map((bead) => bead.flow_mm3_s)) || 1;
  const over = preview.beads.filter((bead) => bead.flow_mm3_s > ceiling);
  return (
    <div>
      <h3 className="font-serif text-lg"><Trans>Flow against the melt ceiling</Trans></h3>
      <ul className="mt-1 space-y-1 text-sm">
        {preview.beads.map((bead) => {
          const held = bead.flow_mm3_s > ceiling;
          return (
            <li key={bead.feature} className="grid grid-cols-[5.6rem_1fr_3.2rem] items-center gap-2">
              <span>{FEATURES.find((one) => one.key === bead.feature)?.label ?? bead.feature}</span>
              <span className="relative h-3 bg-base-200">
                <span
                  className={`absolute inset-y-0 left-0 ${held ? "bg-molten" : "bg-secondary"}`}
                  style={{ width: `${(100 * Math.min(bead.flow_mm3_s, ceiling)) / most}%` }}
                />
                {held && (
                  <span
                    className="absolute inset-y-0 border border-molten"
                    style={{
                      left: `${(100 * ceiling) / most}%`,
                      width: `${(100 * (bead.flow_mm3_s - ceiling)) / most}%`,
                      backgroundImage:
                        "repeating-linear-gradient(45deg, var(--molten) 0 1px, transparent 1px 5px)",
                    }}
                  />
                )}
                <span
                  className="absolute -inset-y-0.5 w-0.5 bg-base-content"
                  style={{ left: `${(100 * ceiling) / most}%` }}
                />
              </span>
              <span className="text-right">{fixed(bead.flow_mm3_s, 1)}</span>
            </li>
          );
        })}
      </ul>
      <p className="mt-1 text-sm text-quiet">
        <Trans>Ceiling {fixed(ceiling, 1)} mm³/s, {preview.melt_basis || preview.melt_ceiling_source}</Trans>
        {preview.melt_ceiling_source !== "measured" && <><Trans>; bound by {BOUND[preview.melt_bound] ?? preview.melt_bound}</Trans></>}<Trans>. The knee lies within {fixed(preview.melt_low_mm3_s, 1)} to {fixed(preview.melt_high_mm3_s, 1)} (90 %).</Trans>{" "}
        {preview.melt_test_id != null ? <Link className="underline" to={`/flow/${preview.melt_test_id}`}><Trans>See the test</Trans></Link> : <Link className="underline" to="/flow"><Trans>Measure it</Trans></Link>}
      </p>
      {over.length > 0 && (
        <p className="mt-1 text-sm">
          <Trans>
            {over.map((bead) => FEATURES.find((one) => one.key === bead.feature)?.label ?? bead.feature).join(", ")}{" "}
            <Plural value={over.length} one="is" other="are" /> slowed to {speeds(over.map((bead) => bead.speed_limit_mm_s))} mm/s.{" "}
            {wayOut(preview)}
          </Trans>
        </p>
      )}
    </div>
  );
}

const BOUND: Record<string, string> = {
  heat: t`how fast heat reaches the strand's centre`,
  push: t`how hard the drive can push through this bore`,
  heater: t`the heater's watts`,
  strand: t`the flow at which the strand curls`,
  known: t`the most that this plastic is known to take`,
  too_cold: t`a temperature at which this plastic does not melt`,
};

function wayOut({ melt_bound, temp_for_flow_c }: Preview): string {
  if (melt_bound === "known") return t`Heat does not change that.`;
  if (temp_for_flow_c == null) return t`No temperature in this material's window melts that flow.`;
  return t`${Math.ceil(temp_for_flow_c)} °C would melt it.`;
}

function speeds(limits: number[]): string {
  const low = Math.round(Math.min(...limits));
  const high = Math.round(Math.max(...limits));
  return low === high ? String(low) : t`${low} to ${high}`;
}
