import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { api, take, type Part } from "../../api/client";
import { useJob } from "../../api/jobs";
import type { PartChange } from "./savePart";
import { useColumns } from "../../api/queries";
import { fixed, formatDuration, formatDurationDifference, formatGrams } from "../../lib/format";
import { JobBar } from "../../components/JobBar";
import { matrixOf, posed } from "./pose";

interface StancesProps {
  part: Part;
  save: (change: PartChange, label: string) => Promise<void>;
}

/** Ways to stand the part, each estimated with supports where it needs them; one click takes one. */
export function Orientations({ part, save }: StancesProps) {
  const columns = useColumns(part.id);
  const usable = columns.data?.filter((column) => !column.gcode) ?? [];
  const [wanted, setWanted] = useState<number | null>(null);
  const column = usable.find((one) => one.id === wanted) ?? usable[0];
  const work = useJob([part.facts.digest, column?.id, column?.version], async () =>
    take(
      await api.POST("/api/parts/{part_id}/stances", {
        params: { path: { part_id: part.id } },
        body: { recipe_id: column?.id ?? 0 },
      }),
    ),
  );
  if (columns.isError) return <p className="text-error">{columns.error.message}</p>;
  if (column === undefined) {
    return <p className="text-quiet">{columns.data ? t`Ways are compared with a recipe: add a column on the bench first.` : t`Fetching the recipes …`}</p>;
  }
  const ways = work.job?.stances?.ways ?? [];
  const present = ways.find((way) => way.present);
  return (
    <div className="space-y-2">
      <div className="flex flex-wrap items-center gap-2 text-sm">
        <label>
          <Trans>With</Trans>{" "}
          <select
            className="select select-xs w-40 border-rule bg-base-100"
            value={column.id}
            onChange={(event) => setWanted(Number(event.target.value))}
          >
            {usable.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        {!work.busy && ways.length === 0 && (
          <button type="button" className="btn btn-accent btn-xs" onClick={work.start}>
            <Trans>Compare ways to stand</Trans>
          </button>
        )}
      </div>
      <JobBar work={work} what={t`Estimating ways to stand`} />
      {ways.length === 0 && !work.busy && (
        <p className="text-sm text-quiet">
          <Trans>
            The part’s flats and axes are tried, each estimated by the same engine with supports where they are needed: the
            quickest that stands steadily comes first.
          </Trans>
        </p>
      )}
      <ul className="space-y-2">
        {ways.map((way, index) => {
          const { stance } = way;
          return (
            <li key={stance.pose.matrix?.join() ?? "as-is"} className={`flex gap-2 border p-1.5 ${way.present ? "border-molten" : "border-rule"}`}>
              <img src={way.picture} alt="" width={240} height={180} className="h-20 w-24 shrink-0 self-center object-contain" />
              <div className="min-w-0 flex-1 text-sm">
                <p className="flex flex-wrap items-baseline gap-x-2">
                  <span className="font-serif text-xl leading-none">{way.print_time_s == null ? "–" : formatDuration(way.print_time_s)}</span>
                  {way.filament_g != null && <span>{formatGrams(way.filament_g)}</span>}
                  {present?.print_time_s != null && way.print_time_s != null && !way.present && (
                    <span className="text-molten">{formatDurationDifference(way.print_time_s - present.print_time_s)}</span>
                  )}
                  {way.present && <span className="text-quiet"><Trans>as it stands now</Trans></span>}
                </p>
                <dl className="grid grid-cols-[auto_1fr_auto_1fr] gap-x-2 leading-snug">
                  <Fact name={t`supports`} value={way.support_g < 0.05 ? t`none` : `${formatGrams(way.support_g)}, ${formatDuration(way.support_s)}`} />
                  <Fact name={t`overhang`} value={`${fixed(stance.overhang_mm2 / 100, 1)} cm²`} />
                  <Fact name={t`height`} value={`${fixed(stance.height_mm, 0)} mm`} />
                  <Fact name={t`on the bed`} value={`${fixed(stance.footprint_mm2 / 100, 1)} cm²`} />
                  <Fact name={t`steps`} value={stance.step_mm2 < 1 ? t`none` : `${fixed(stance.ridge_mm, 2)} mm, ${fixed(stance.step_mm2 / 100, 0)} cm²`} />
                  <Fact name={t`tips at`} value={`${fixed(stance.tip_angle_deg, 0)}°`} />
                </dl>
                {(way.problem || !way.steady) && (
                  <p className="text-warning">{way.problem || t`It would fall easily: not without a brim.`}</p>
                )}
                {!way.present && !way.problem && (
                  <button
                    type="button"
                    className="btn btn-outline btn-xs mt-1"
                    onClick={() => void save({ pose: posed(part.pose, matrixOf(stance.pose)) }, t`how ${part.name} stands`)}
                  >
                    <Trans>Stand it this way<span className="sr-only">, number {index + 1}</span></Trans>
                  </button>
                )}
              </div>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <>
      <dt className="whitespace-nowrap text-quiet">{name}</dt>
      <dd className="whitespace-nowrap">{value}</dd>
    </>
  );
}
