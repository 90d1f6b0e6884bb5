import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { memo, useState } from "react";
import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import type { Estimate, FeatureShare, RecipeColumn } from "../../api/client";
import { fixed, formatDuration, formatGrams } from "../../lib/format";
import { FeaturePatterns, Swatch } from "../../components/FeaturePatterns";
import { CAUSES, FEATURES, patternId, type FeatureStyle } from "../../lib/featureStyles";

interface Entry {
  name: string;
  column: RecipeColumn;
  estimate: Estimate;
}

type Measure = "time" | "grams" | "cause";

const MEASURES: readonly { key: Measure; label: string; heading: string }[] = [
  { key: "time", label: t`Time by feature`, heading: t`Minutes` },
  { key: "grams", label: t`Grams by feature`, heading: t`Grams` },
  { key: "cause", label: t`Time by cause`, heading: t`Minutes` },
];

/** Minutes or grams of one share of one recipe. */
function amountOf(estimate: Estimate, key: string, measure: Measure): number {
  if (measure === "cause") return estimate.by_cause[key as keyof Estimate["by_cause"]] / 60;
  const share: FeatureShare | undefined = estimate.by_feature[key];
  if (share === undefined) return 0;
  return measure === "time" ? share.time_s / 60 : share.filament_g;
}

interface LedgerProps {
  entries: Entry[];
  /** A share was picked, to be seen in the layers. */
  onPick: (column: RecipeColumn, key: string, byCause: boolean) => void;
}

/** Where the minutes and the grams go: one bar a recipe, all on one scale, and the same figures as a table. */
export const Ledger = memo(function Ledger({ entries, onPick }: LedgerProps) {
  const [measure, setMeasure] = useState<Measure>("time");
  const [shares, setShares] = useState(false);
  const styles: readonly FeatureStyle[] = measure === "cause" ? CAUSES : FEATURES;
  const present = styles.filter((style) =>
    entries.some((entry) => amountOf(entry.estimate, style.key, measure) > 0),
  );
  const wholeOf = (entry: Entry) => (measure === "grams" ? entry.estimate.filament_g : entry.estimate.print_time_s / 60);
  const scaled = (entry: Entry, key: string) =>
    amountOf(entry.estimate, key, measure) * (shares ? 100 / wholeOf(entry) : 1);
  const rows = entries.map((entry, index) => ({
    name: entry.name,
    index,
    ...Object.fromEntries(present.map((style) => [style.key, scaled(entry, style.key)])),
  }));
  const longest = shares ? 100 : Math.max(...entries.map(wholeOf));
  const ticks = shares ? [0, 25, 50, 75, 100] : ticksTo(longest, measure === "grams" ? GRAM_STEPS : MINUTE_STEPS);
  const show = (value: number) =>
    shares ? `${fixed(value, 1)} %` : measure === "grams" ? formatGrams(value) : formatDuration(value * 60);
  const pick = (entry: Entry | undefined, key: string) => {
    if (entry && !entry.column.gcode && key !== "wait") onPick(entry.column, key.replace(/_s$/, ""), measure === "cause");
  };
  return (
    <section aria-labelledby="ledger-title">
      <div className="flex flex-wrap items-baseline gap-4">
        <h2 id="ledger-title" className="sr-only">
          <Trans>Where it goes</Trans>
        </h2>
        <div className="join" role="group" aria-label={t`What to show`}>
          {MEASURES.map((one) => (
            <button
              key={one.key}
              type="button"
              aria-pressed={measure === one.key}
              className={`btn join-item btn-xs ${measure === one.key ? "btn-neutral" : "btn-outline"}`}
              onClick={() => setMeasure(one.key)}
            >
              {one.label}
            </button>
          ))}
        </div>
        <label className="flex items-center gap-1.5 text-sm">
          <input type="checkbox" className="checkbox checkbox-xs" checked={shares} onChange={(event) => setShares(event.target.checked)} />
          <Trans>as shares</Trans>
        </label>
      </div>
      <div style={{ height: 44 + entries.length * 42 }} aria-hidden="true" className="mt-2">
        <ResponsiveContainer width="100%" height="100%">
          <BarChart accessibilityLayer={false} data={rows} layout="vertical" margin={{ top: 0, right: 16, bottom: 0, left: 0 }} barCategoryGap={8}>
            <FeaturePatterns />
            <CartesianGrid horizontal={false} stroke="var(--rule)" />
            <XAxis
              type="number"
              ticks={ticks}
              domain={[0, ticks.at(-1) ?? longest]}
              tick={{ fill: "var(--quiet)", fontSize: 12 }}
              stroke="var(--rule)"
              tickFormatter={(value: number) => 
                shares ? `${value} %` : measure === "grams" ? `${value} g` : axisClock(value)
              }
            />
            <YAxis
              type="category"
              dataKey="name"
              width={130}
              tick={{ fill: "currentColor", fontSize: 13 }}
              stroke="var(--rule)"
            />
            <Tooltip
              shared={false}
              cursor={false}
              contentStyle={{
                background: "var(--color-base-100)",
                border: t`1px solid var(--rule)`,
                color: "var(--color-base-content)",
              }}
              formatter={(value, name) => [show(Number(value)), labelOf(String(name))]}
            />
            {present.map((feature) => (
              <Bar
                key={feature.key}
                dataKey={feature.key}
                stackId="one"
                fill={`url(#${patternId(feature)})`}
                stroke="var(--color-base-100)"
                strokeWidth={1}
                isAnimationActive={false}
                className="cursor-pointer"
                onClick={(_: unknown, index: number) => pick(entries[index], feature.key)}
                label={{ content: (place: LabelPlace) => letter(place, feature) }}
              />
            ))}
          </BarChart>
        </ResponsiveContainer>
      </div>
      <div className="overflow-x-auto">
        <table className="mt-2 text-sm">
          <thead>
            <tr className="text-quiet">
              <th className="pr-4 text-left font-normal">{MEASURES.find((one) => one.key === measure)?.heading}</th>
              {entries.map((entry, index) => (
                <th key={index} className="max-w-40 truncate px-3 text-right font-normal">
                  {entry.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {present.map((feature) => (
              <tr key={feature.key} className="border-t border-base-300">
                <th scope="row" className="flex items-center gap-2 py-0.5 pr-4 text-left font-normal">
                  <Swatch feature={feature} />
                  <span className="w-4 text-quiet">{feature.letter}</span> {feature.label}
                </th>
                {entries.map((entry, index) => {
                  const value = amountOf(entry.estimate, feature.key, measure);
                  const total = measure === "grams" ? entry.estimate.filament_g : entry.estimate.print_time_s / 60;
                  return (
                    <td key={index} className="whitespace-nowrap px-3 text-right">
                      {entry.column.gcode || feature.key === "wait" || value === 0 ? (
                        fixed(value, 1)
                      ) : (
                        <button
                          type="button"
                          className="cursor-pointer underline decoration-rule underline-offset-2 hover:decoration-molten"
                          title={t`See ${feature.label.toLowerCase()} in the layers of ${entry.name}`}
                          onClick={() => pick(entry, feature.key)}
                        >
                          {fixed(value, 1)}
                        </button>
                      )}{" "}
                      <span className="inline-block w-11 text-quiet">{Math.round((100 * value) / total)} %</span>
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {measure === "cause" && (
        <ul className="mt-3 space-y-1">
          {entries.map((entry, index) => (
            <li key={index}>
              <span className="text-quiet">{entry.name}:</span> {meaning(entry.estimate)}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
});

const MINUTE_STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 180, 240, 360, 720, 1440];
const GRAM_STEPS = [0.5, 1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000];

/** Round marks from 0 to at least a length, at most seven. */
function ticksTo(length: number, steps: readonly number[]): number[] {
  const step = steps.find((one) => length / one <= 6) ?? length / 6;
  return Array.from({ length: Math.ceil(length / step) + 1 }, (_, index) => index * step);
}

function axisClock(minutes: number): string {
  return minutes === 0 ? "0" : formatDuration(minutes * 60);
}

function labelOf(key: string): string {
  return [...FEATURES, ...CAUSES].find((style) => style.key === key)?.label ?? key;
}

/**
 * What the causes mean, in a sentence: the largest that is not plain printing, if it is worth a word, what would move it,
 * and what that could win at best.
 */
function meaning(estimate: Estimate): string {
  const ranked = CAUSES.map((cause) => {
    const seconds = estimate.by_cause[cause.key as keyof Estimate["by_cause"]];
    return { cause, seconds, share: seconds / estimate.print_time_s };
  }).sort((a, b) => b.share - a.share);
  const held = ranked.find(({ cause }) => cause.key !== "at_set_speed_s");
  const chosen = held && held.share >= 0.15 ? held : ranked[0];
  if (chosen === undefined) return "";
  const best =
    chosen.cause.key === "at_set_speed_s"
      ? t`Doubling every speed would win ${formatDuration(chosen.seconds / 2)} at the very best.`
      : t`All of it is ${formatDuration(chosen.seconds)}.`;
  return t`${Math.round(chosen.share * 100)} % of this print is ${chosen.cause.phrase}: ${chosen.cause.lever} ${best}`;
}

interface LabelPlace {
  x?: number | string;
  y?: number | string;
  width?: number | string;
  height?: number | string;
}

/** The feature's letter in its piece of the bar, where there is room. */
function letter(place: LabelPlace, feature: FeatureStyle) {
  const [x, y, width, height] = [place.x, place.y, place.width, place.height].map(Number) as [
    number,
    number,
    number,
    number,
  ];
  if (!(width > 20)) return null;
  return (
    <g>
      <rect x={x + width / 2 - 8} y={y + height / 2 - 8} width={16} height={16} rx={2} fill="#fdfbf6" />
      <text x={x + width / 2} y={y + height / 2 + 4.5} textAnchor="middle" fontSize={12} fill="#2b2622">
        {feature.letter}
      </text>
    </g>
  );
}
