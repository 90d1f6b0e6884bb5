import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { CartesianGrid, ComposedChart, Line, ReferenceLine, ResponsiveContainer, Scatter, XAxis, YAxis } from "recharts";
import type { Experiment, Level, Verdict } from "../../api/client";
import { fixed, formatDuration, plain } from "../../lib/format";
import { measureUnit } from "./GridForm";

/** What the experiment says, part by part: minutes and the knee, measurements, looks, and what is missing. */
export function VerdictFace({ experiment, onAdd }: { experiment: Experiment; onAdd: (levels: Record<string, Level>) => void }) {
  const { verdict, cells, factors } = experiment;
  if (verdict == null) return <p className="mt-3 text-quiet"><Trans>Nothing is known yet: figures are still to come.</Trans></p>;
  const words = (place: number) => cells[place]?.words ?? "";
  const unit = measureUnit(experiment.grid);
  return (
    <div className="mt-3 grid grid-cols-1 gap-x-10 gap-y-5 lg:grid-cols-2">
      {factors.map((factor) => (
        <Knee key={factor.key} experiment={experiment} factorKey={factor.key} />
      ))}
      {verdict.ranking && verdict.ranking.comparisons > 0 && <Looks verdict={verdict} words={words} />}
      {experiment.grid.measure !== "none" && <MeasuredCells experiment={experiment} unit={unit} />}
      <section aria-labelledby="differences" className="text-sm">
        <h3 id="differences" className="font-serif text-lg">
          <Trans>Which differences are real</Trans>
        </h3>
        {verdict.differences.length === 0 && <p className="text-quiet"><Trans>None is sure yet.</Trans></p>}
        <ul className="space-y-0.5">
          {verdict.differences.map((one) => (
            <li key={`${one.of}${one.pair.join()}`}>
              <Trans>
                <strong>{words(one.better ?? one.pair[1])}</strong> is better than {words(one.pair.find((place) => place !== (one.better ?? one.pair[1])) ?? one.pair[0])}{" "}
                <span className="text-quiet">{one.of === "ranks" ? t`in looks` : t`by ${plain(Math.abs(one.value))} ${unit} (${plain(Math.min(Math.abs(one.low), Math.abs(one.high)))} to ${plain(Math.max(Math.abs(one.low), Math.abs(one.high)))})`}</span>
              </Trans>
            </li>
          ))}
        </ul>
        {verdict.need.length > 0 && (
          <details className="mt-1" open={verdict.need.length <= 4}>
            <summary className="cursor-pointer text-quiet"><Trans><Plural value={verdict.need.length} one="One pair" other="# pairs" /> without a difference that is sure</Trans></summary>
            <ul>
              {verdict.need.map((one) => (
                <li key={one.pair.join()} className="text-quiet">
                  <Trans>{words(one.pair[0])} and {words(one.pair[1])}: {one.because}</Trans>
                </li>
              ))}
            </ul>
          </details>
        )}
        {(verdict.notes ?? []).map((note) => (
          <p key={note} className="mt-1">
            {note}
          </p>
        ))}
        <p className="mt-1 text-xs text-quiet">
          <Trans>
            Of experiments without any difference, one in twenty at most claims one.{experiment.grid.measure !== "none" && t` The gauge reads to ${plain(verdict.gauge)} ${unit}; what lies within that is no difference.`}
            {verdict.scatter != null && t` Like pieces differ by ${plain(verdict.scatter)} ${unit}.`}
          </Trans>
        </p>
      </section>
      {verdict.between && (
        <section aria-labelledby="between" className="text-sm">
          <h3 id="between" className="font-serif text-lg">
            <Trans>A cell between two</Trans>
          </h3>
          <p>
            {Object.entries(verdict.between.levels).map(([name, level]) => `${factors.find((one) => one.key === name)?.label ?? name} ${typeof level === "number" ? plain(level) : String(level)}`).join(", ")}: {verdict.between.because}.
          </p>
          <button type="button" className="btn btn-outline btn-xs mt-1 font-normal" onClick={() => verdict.between && onAdd(verdict.between.levels)}>
            <Trans>Add this cell</Trans>
          </button>
        </section>
      )}
      <Tables experiment={experiment} />
    </div>
  );
}

/** Mean minutes against a factor's levels, with the knee; of levels that are picked, a line each. */
function Knee({ experiment, factorKey }: { experiment: Experiment; factorKey: string }) {
  const verdict = experiment.verdict;
  const effects = verdict?.effects[factorKey]?.["time_s"] ?? [];
  const factor = experiment.factors.find((one) => one.key === factorKey);
  if (effects.length < 2 || factor === undefined) return null;
  const knee = verdict?.knee[factorKey];
  const numeric = ["number", "whole", "percent"].includes(factor.kind) && effects.length > 2;
  const level = (value: Level) => {
    const place = experiment.grid.factors.find((one) => one.key === factorKey)?.levels.indexOf(value) ?? -1;
    return experiment.levels[factorKey]?.[place] ?? (typeof value === "number" ? plain(value) : String(value));
  };
  const points = effects.map((effect) => ({ level: Number(effect.level), minutes: effect.mean / 60 }));
  const tick = { fill: "var(--quiet)", fontSize: 12 };
  return (
    <section className="text-sm">
      <h3 className="font-serif text-lg"><Trans>Minutes by {factor.label.toLowerCase()}</Trans></h3>
      {numeric ? (
        <div style={{ height: 220 }}>
          <ResponsiveContainer width="100%" height="100%">
            <ComposedChart accessibilityLayer={false} data={points} margin={{ top: 20, right: 20, bottom: 18, left: 0 }}>
              <CartesianGrid stroke="var(--rule)" />
              <XAxis type="number" dataKey="level" domain={["dataMin", "dataMax"]} ticks={points.map((one) => one.level)} tick={tick} stroke="var(--rule)" tickFormatter={(value: number) => (factor.kind === "percent" ? `${Math.round(100 * value)} %` : plain(value))} label={{ value: `${factor.label}${factor.unit ? `, ${factor.unit}` : ""}`, position: "insideBottom", offset: -10, fill: "var(--quiet)", fontSize: 13 }} />
              <YAxis domain={[0, "auto"]} tick={tick} stroke="var(--rule)" width={48} tickFormatter={(value: number) => fixed(value, 0)} />
              {knee && <ReferenceLine x={knee.level} stroke="var(--molten)" strokeWidth={2} label={{ value: t`${Math.round(100 * knee.had)} % of the saving is had here`, position: "top", fill: "var(--molten)", fontSize: 12 }} />}
              <Line dataKey="minutes" stroke="currentColor" strokeWidth={1.8} dot={false} isAnimationActive={false} />
              <Scatter dataKey="minutes" fill="var(--molten)" isAnimationActive={false} />
            </ComposedChart>
          </ResponsiveContainer>
        </div>
      ) : null}
      <table className="mt-1 w-full max-w-md">
        <tbody>
          {effects.map((effect) => (
            <tr key={String(effect.level)} className={`border-t border-rule ${knee?.level === Number(effect.level) && numeric ? "font-semibold text-molten" : ""}`}>
              <th scope="row" className="py-0.5 text-left font-normal">{level(effect.level)}</th>
              <td className="text-right">{formatDuration(effect.mean)}</td>
              <td className="text-right text-quiet">{effect.change === 0 ? "" : `${effect.change < 0 ? "−" : "+"}${formatDuration(Math.abs(effect.change))}`}</td>
              <td className="pl-2 text-right text-xs text-quiet">{effect.low != null && effect.high != null && effect.change !== 0 && Math.abs(effect.high - effect.low) > 60 ? `± ${formatDuration((effect.high - effect.low) / 2)}` : ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {knee && <p className="mt-1">{knee.says[0]?.toUpperCase()}{knee.says.slice(1)}.</p>}
      <p className="text-xs text-quiet">{experiment.times === "real" ? t`Real minutes from the panel` : t`Expected minutes; real ones take their place once every cell is printed`}{experiment.factors.length > 1 ? t`, means over the other factors.` : "."}</p>
    </section>
  );
}

function Looks({ verdict, words }: { verdict: Verdict; words: (place: number) => string }) {
  const strengths = (verdict.ranking?.strengths ?? []).map((one, place) => ({ ...one, place })).filter((one) => one.compared > 0).sort((a, b) => b.value - a.value);
  const ends = [Math.min(...strengths.map((one) => one.low)), Math.max(...strengths.map((one) => one.high))] as const;
  const at = (value: number) => (200 * (value - ends[0])) / Math.max(ends[1] - ends[0], 1e-6);
  return (
    <section aria-labelledby="looks" className="text-sm">
      <h3 id="looks" className="font-serif text-lg">
        <Trans>Looks, compared blind</Trans>
      </h3>
      <ol>
        {strengths.map((one) => (
          <li key={one.place} className="grid grid-cols-[minmax(0,9rem)_minmax(0,1fr)_5rem] items-center gap-2 border-t border-rule py-0.5">
            <span className="truncate" title={words(one.place)}>{words(one.place)}</span>
            <svg viewBox="-4 0 208 12" className="w-full" role="img" aria-label={t`strength ${fixed(one.value, 1)}, between ${fixed(one.low, 1)} and ${fixed(one.high, 1)}`}>
              <path d={`M${at(one.low)} 6H${at(one.high)}`} stroke="var(--quiet)" strokeWidth={3} />
              <circle cx={at(one.value)} cy={6} r={4} fill="var(--molten)" />
            </svg>
            <span className="text-right text-xs text-quiet">
              <Trans>{plain(one.won)} of {one.compared} won</Trans>
            </span>
          </li>
        ))}
      </ol>
      <p className="text-xs text-quiet"><Trans>Further right is better. Bars are 90 % intervals of the strength that makes such wins likely.</Trans></p>
    </section>
  );
}

function MeasuredCells({ experiment, unit }: { experiment: Experiment; unit: string }) {
  const rows = experiment.cells.filter((cell) => cell.measured.length > 0);
  if (rows.length === 0) return null;
  const values = rows.flatMap((cell) => cell.measured.map((one) => one.result));
  const ends = [Math.min(...values), Math.max(...values)] as const;
  const at = (value: number) => (200 * (value - ends[0])) / Math.max(ends[1] - ends[0], experiment.grid.gauge);
  return (
    <section aria-labelledby="measured" className="text-sm">
      <h3 id="measured" className="font-serif text-lg">
        <Trans>Measured, {unit}</Trans>
      </h3>
      <ul>
        {rows.map((cell) => {
          const mean = cell.measured.reduce((sum, one) => sum + one.result, 0) / cell.measured.length;
          return (
            <li key={cell.recipe.id} className="grid grid-cols-[minmax(0,9rem)_minmax(0,1fr)_5rem] items-center gap-2 border-t border-rule py-0.5">
              <span className="truncate" title={cell.words}>{cell.words}</span>
              <svg viewBox="-6 0 212 12" className="w-full" aria-hidden>
                {cell.measured.map((one) => (
                  <circle key={one.id} cx={at(one.result)} cy={6} r={3.5} fill="none" stroke="var(--quiet)" />
                ))}
                <path d={`M${at(mean)} 0V12`} stroke="var(--molten)" strokeWidth={2.5} />
              </svg>
              <span className="text-right">
                {plain(Math.round(100 * mean) / 100)} <span className="text-xs text-quiet"><Trans>of {cell.measured.length}</Trans></span>
              </span>
            </li>
          );
        })}
      </ul>
      <p className="text-xs text-quiet"><Trans>Rings are pieces, the stroke is their mean. {experiment.grid.more_is_better ? t`Further right is better.` : t`Further left is better.`}</Trans></p>
    </section>
  );
}

function Tables({ experiment }: { experiment: Experiment }) {
  const tables = experiment.verdict?.tables ?? [];
  const label = (key: string) => experiment.factors.find((one) => one.key === key)?.label ?? key;
  return tables.map((table) => {
    const shown = (value: number | null) => (value === null ? "–" : table.of === "time_s" ? formatDuration(value) : plain(Math.round(100 * value) / 100));
    const heads = (key: string, count: number) => Array.from({ length: count }, (_, place) => experiment.levels[key]?.[place] ?? "added");
    return (
      <section key={`${table.rows}${table.columns}${table.of}`} className="overflow-x-auto text-sm">
        <h3 className="font-serif text-lg">
          <Trans>{table.of === "time_s" ? t`Minutes` : t`Measured`}, {label(table.rows).toLowerCase()} by {label(table.columns).toLowerCase()}</Trans>
        </h3>
        <table className="w-full max-w-lg">
          <thead>
            <tr>
              <td />
              {heads(table.columns, table.values[0]?.length ?? 0).map((head, place) => (
                <th key={place} scope="col" className="px-2 text-right font-normal text-quiet">{head}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {table.values.map((row, place) => (
              <tr key={place} className="border-t border-rule">
                <th scope="row" className="py-0.5 text-left font-normal text-quiet">{heads(table.rows, table.values.length)[place]}</th>
                {row.map((value, at) => (
                  <td key={at} className="px-2 text-right">{shown(value)}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    );
  });
}
