import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import { api, take, type RecipeColumn, type Waterfall } from "../../api/client";
import { useJob } from "../../api/jobs";
import { formatDuration, formatDurationDifference, formatGrams, formatGramsDifference } from "../../lib/format";
import { JobBar } from "../../components/JobBar";

/** From one column to another: what each changed setting contributes. */
export function WaterfallPanel({ columns }: { columns: RecipeColumn[] }) {
  const usable = columns.filter((column) => (!column.gcode || Object.keys(column.choices).length > 0) && column.problem == null);
  const [wanted, setWanted] = useState<{ from?: number; to?: number }>({});
  const [measure, setMeasure] = useState<"time" | "grams">("time");
  const from = usable.find((column) => column.id === wanted.from) ?? usable[0];
  const to = usable.find((column) => column.id === wanted.to && column.id !== from?.id) ?? usable.find((column) => column.id !== from?.id);
  const work = useJob([from?.id, from?.version, to?.id, to?.version, from?.part_digest], async () =>
    take(await api.POST("/api/waterfalls", { body: { from_id: from?.id ?? 0, to_id: to?.id ?? 0 } })),
  );
  const { start } = work;
  const idle = from !== undefined && to !== undefined && work.job === undefined && !work.busy && work.problem === null;
  const about = `${from?.id}:${from?.version}:${to?.id}:${to?.version}`;
  useEffect(() => {
    if (idle) start();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- start is new at each render
  }, [idle, about]);
  if (from === undefined || to === undefined) return <p className="text-sm text-quiet"><Trans>It takes two columns that tell their settings.</Trans></p>;
  const found = work.job?.waterfall;
  const select = "select select-xs w-40 border-rule bg-base-100";
  return (
    <section aria-labelledby="waterfall-title">
      <h2 id="waterfall-title" className="sr-only">
        <Trans>What makes the difference</Trans>
      </h2>
      <div className="flex flex-wrap items-center gap-2 text-sm">
        <label>
          <Trans>From</Trans>{" "}
          <select className={select} aria-label={t`From`} value={from.id} onChange={(event) => setWanted({ ...wanted, from: Number(event.target.value) })}>
            {usable.map((column) => (
              <option key={column.id} value={column.id}>
                {column.name}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>to</Trans>{" "}
          <select className={select} aria-label={t`To`} value={to.id} onChange={(event) => setWanted({ ...wanted, to: Number(event.target.value) })}>
            {usable
              .filter((column) => column.id !== from.id)
              .map((column) => (
                <option key={column.id} value={column.id}>
                  {column.name}
                </option>
              ))}
          </select>
        </label>
        {found && (
          <div className="join" role="group" aria-label={t`Time or grams`}>
            {(["time", "grams"] as const).map((one) => (
              <button
                key={one}
                type="button"
                aria-pressed={measure === one}
                className={`btn join-item btn-xs ${measure === one ? "btn-neutral" : "btn-outline"}`}
                onClick={() => setMeasure(one)}
              >
                {one === "time" ? t`Time` : t`Grams`}
              </button>
            ))}
          </div>
        )}
      </div>
      <JobBar work={work} what={t`Working out what makes the difference`} />
      {found ? (
        <Bars found={found} measure={measure} from={from.name} to={to.name} />
      ) : (
        !work.busy && (
          <p className="mt-1 text-sm text-quiet">
            <Trans>Which of the changed settings makes how much of it, whatever order they are changed in.</Trans>
          </p>
        )
      )}
    </section>
  );
}

interface BarsProps {
  found: Waterfall;
  measure: "time" | "grams";
  from: string;
  to: string;
}

function Bars({ found, measure, from, to }: BarsProps) {
  const time = measure === "time";
  const start = time ? found.from_s : found.from_g;
  const end = time ? found.to_s : found.to_g;
  const rest = time ? found.rest_s : found.rest_g;
  const amount = (value: number) => (time ? formatDuration(value) : formatGrams(value));
  const difference = (value: number) => (time ? formatDurationDifference(value) : formatGramsDifference(value));
  const steps = [...found.steps]
    .map((step) => ({ label: step.label, value: time ? step.time_s : step.filament_g }))
    .sort((a, b) => Math.abs(b.value) - Math.abs(a.value));
  if (Math.abs(rest) > 0.01 * Math.max(start, end)) steps.push({ label: t`Left open by the samples`, value: rest });
  const rows: { label: string; value: number; low: number; high: number }[] = [];
  let level = start;
  for (const step of steps) {
    rows.push({ ...step, low: Math.min(level, level + step.value), high: Math.max(level, level + step.value) });
    level += step.value;
  }
  const most = Math.max(start, end, ...rows.map((row) => row.high)) || 1;
  const share = (value: number) => `${(100 * value) / most}%`;
  const main = steps[0];
  return (
    <>
      <table className="mt-2 w-full table-fixed text-sm">
        <caption className="pb-1 text-left">
          {steps.length === 0
            ? t`No setting differs.`
            : t`${main?.label ?? ""} makes most of it: ${difference(main?.value ?? 0)} of ${difference(end - start)}.`}
        </caption>
        <tbody>
          <Row label={from} low={0} high={start} text={amount(start)} share={share} kind="end" />
          {rows.map((row) => (
            <Row
              key={row.label}
              label={row.label}
              low={row.low}
              high={row.high}
              text={difference(row.value)}
              share={share}
              kind={row.value < 0 ? "less" : "more"}
            />
          ))}
          <Row label={to} low={0} high={end} text={amount(end)} share={share} kind="end" />
        </tbody>
      </table>
      <p className="mt-1 text-xs text-quiet">
        <Trans>
          Each setting counts by what it adds on average over {found.all_orders ? t`all ${found.orders} possible` : t`${found.orders} sampled`}{" "}
          orders of changing them one after another (Shapley’s division), found on samples of layers.
        </Trans>
      </p>
    </>
  );
}

interface RowProps {
  label: string;
  low: number;
  high: number;
  text: string;
  share: (value: number) => string;
  kind: "end" | "less" | "more";
}

const FILL = {
  end: "bg-secondary",
  // Less is plain, more is hatched: not by colour alone.
  less: "bg-success",
  more: "border border-molten",
};

function Row({ label, low, high, text, share, kind }: RowProps) {
  return (
    <tr>
      <th scope="row" className="w-40 truncate py-0.5 pr-2 text-left font-normal">
        {label}
      </th>
      <td className="relative h-6">
        <span
          className={`absolute inset-y-1 ${FILL[kind]}`}
          style={{
            left: share(low),
            width: t`max(2px, ${share(high - low)})`,
            ...(kind === "more" && {
              backgroundImage: "repeating-linear-gradient(45deg, var(--molten) 0 2px, transparent 2px 6px)",
            }),
          }}
        />
      </td>
      <td className="w-24 whitespace-nowrap pl-2 text-right">{text}</td>
    </tr>
  );
}
