import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { CartesianGrid, ComposedChart, Line, ResponsiveContainer, Scatter, Tooltip, XAxis, YAxis } from "recharts";
import type { RunPoint } from "../../api/client";
import { formatDuration, percent } from "../../lib/format";
import { logTicks, shapePath, SHAPES } from "./scale";

type By = "part" | "nozzle" | "era";
type View = "minutes" | "share";
const BY: readonly [By, string][] = [
  ["part", t`part`],
  ["nozzle", t`nozzle`],
  ["era", t`era`],
];

interface Shown extends RunPoint {
  group: string;
  shape: number;
  y: number;
}

/** Real against computed, every run a mark: on one scale of minutes, or as a share of what was computed. */
export function Points({ points, eras }: { points: readonly RunPoint[]; eras: readonly { number: number; since: string | null }[] }) {
  const [by, setBy] = useState<By>("part");
  const [view, setView] = useState<View>("minutes");
  const navigate = useNavigate();
  const { shown, groups } = useMemo(() => {
    const nameOf = (point: RunPoint) => (by === "part" ? point.part : by === "nozzle" ? point.nozzle || t`a nozzle` : eraName(eras.find((era) => era.number === point.era)?.since));
    const groups = [...new Set(points.map(nameOf))];
    const shown: Shown[] = points.map((point) => {
      const group = nameOf(point);
      return { ...point, group, shape: groups.indexOf(group), y: view === "minutes" ? point.real_s : point.real_s / point.predicted_s };
    });
    return { shown, groups };
  }, [points, eras, by, view]);
  const all = points.flatMap((point) => [point.predicted_s, point.real_s]);
  const least = Math.min(...all, 600) * 0.8;
  const most = Math.max(...all, 3600) * 1.2;
  const ticks = logTicks(least, most);
  const shares = shown.filter((one) => !one.odd).map((one) => one.real_s / one.predicted_s);
  const shareEnds = [Math.floor(20 * Math.min(0.95, ...shares)) / 20 - 0.05, Math.ceil(20 * Math.max(1.05, ...shares)) / 20 + 0.05];
  const tick = { fill: "var(--quiet)", fontSize: 12 };
  const alike = [
    { predicted_s: least, y: view === "minutes" ? least : 1 },
    { predicted_s: most, y: view === "minutes" ? most : 1 },
  ];
  return (
    <figure className="m-0">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
        <Choice label={t`Shown as`} value={view} options={[["minutes", t`minutes`], ["share", t`share of computed`]]} onChange={setView} />
        <Choice label={t`Marked by`} value={by} options={BY} onChange={setBy} />
      </div>
      <div style={{ height: 340 }} data-testid="points" className="mt-1">
        <ResponsiveContainer width="100%" height="100%">
          <ComposedChart accessibilityLayer={false} margin={{ top: 8, right: 16, bottom: 22, left: 8 }}>
            <CartesianGrid stroke="var(--rule)" />
            <XAxis type="number" dataKey="predicted_s" scale="log" domain={[least, most]} ticks={ticks} allowDataOverflow tickFormatter={formatDuration} tick={tick} stroke="var(--rule)" label={{ value: t`Computed`, position: "insideBottom", offset: -12, fill: "var(--quiet)", fontSize: 13 }} />
            {view === "minutes" ? (
              <YAxis type="number" dataKey="y" scale="log" domain={[least, most]} ticks={ticks} allowDataOverflow tickFormatter={formatDuration} tick={tick} stroke="var(--rule)" width={64} label={{ value: t`Real`, angle: -90, position: "insideLeft", fill: "var(--quiet)", fontSize: 13 }} />
            ) : (
              <YAxis type="number" dataKey="y" domain={shareEnds} allowDataOverflow tickFormatter={(value: number) => percent(value)} tick={tick} stroke="var(--rule)" width={64} label={{ value: t`Real over computed`, angle: -90, position: "insideLeft", fill: "var(--quiet)", fontSize: 13, dy: 60 }} />
            )}
            <Line data={alike} dataKey="y" stroke="var(--quiet)" strokeDasharray="4 4" dot={false} activeDot={false} isAnimationActive={false} />
            <Scatter data={shown} dataKey="y" isAnimationActive={false} shape={<RunMark />} onClick={(point: { payload?: Shown }) => point.payload && void navigate(`/log/${point.payload.run_id}`)} className="cursor-pointer" />
            <Tooltip
              cursor={false}
              isAnimationActive={false}
              content={({ payload }) => {
                const one = (payload as unknown as { payload: Shown }[]).map((entry) => entry.payload).find((entry) => "run_id" in entry);
                return one === undefined ? null : (
                  <div className="max-w-64 border border-rule bg-base-100 px-2 py-1 text-sm">
                    <Trans>
                      <strong>{one.part}</strong>, run {one.run_id}: {formatDuration(one.real_s)}, computed {formatDuration(one.predicted_s)}; all others say {formatDuration(one.low_s)} to {formatDuration(one.high_s)}
                      {one.odd && ". It does not fit them: a pause, or a wrong time"}
                    </Trans>
                  </div>
                );
              }}
            />
          </ComposedChart>
        </ResponsiveContainer>
      </div>
      <figcaption className="flex flex-wrap gap-x-4 text-xs text-quiet">
        {groups.map((group, place) => (
          <span key={group} className="inline-flex items-center gap-1">
            <svg viewBox="-6 -6 12 12" className="size-3" aria-hidden>
              <path d={shapePath(place % SHAPES)} fill={place < SHAPES ? "var(--molten)" : "none"} stroke="var(--molten)" />
            </svg>
            {group}
          </span>
        ))}
        <span><Trans>Dashed: just as computed. Crossed out: does not fit the others. A mark opens its run.</Trans></span>
      </figcaption>
    </figure>
  );
}

function eraName(since: string | null | undefined): string {
  return since == null ? t`from the beginning` : t`since ${new Date(since).toLocaleDateString()}`;
}

function RunMark({ cx = 0, cy = 0, payload }: { cx?: number; cy?: number; payload?: Shown }) {
  if (payload === undefined) return null;
  if (payload.odd) return <path d={`M${cx - 4} ${cy - 4} l8 8 M${cx + 4} ${cy - 4} l-8 8`} stroke="currentColor" strokeWidth={1.6} />;
  // The second half dozen of groups is hollow.
  const hollow = payload.shape >= SHAPES;
  return <path transform={`translate(${cx} ${cy})`} d={shapePath(payload.shape % SHAPES)} fill={hollow ? "var(--color-base-100)" : "var(--molten)"} fillOpacity={0.8} stroke={hollow ? "var(--molten)" : "var(--color-base-100)"} strokeWidth={hollow ? 1.4 : 0.8} />;
}

interface ChoiceProps<Value extends string> {
  label: string;
  value: Value;
  options: readonly (readonly [Value, string])[];
  onChange: (value: Value) => void;
}

function Choice<Value extends string>({ label, value, options, onChange }: ChoiceProps<Value>) {
  return (
    <label className="flex items-center gap-2 whitespace-nowrap">
      {label}
      <select className="select select-xs border-rule" value={value} onChange={(event) => onChange(event.target.value as Value)}>
        {options.map(([one, words]) => (
          <option key={one} value={one}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}
