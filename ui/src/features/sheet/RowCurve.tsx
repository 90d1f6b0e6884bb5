import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { CartesianGrid, ComposedChart, Line, ReferenceArea, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from "recharts";
import type { RecipeColumn, RowCurve as Curve } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { fixed, formatDuration, formatDurationDifference, formatGrams, formatGramsDifference, plain } from "../../lib/format";
import { bendInWords, minuteTicks } from "./curveWords";
import type { Field } from "./fields";
import { useCurve } from "./useCurve";
import type { SheetActions } from "./useSheet";

type Beside = "grams" | "steps" | "flow";

const GRAMS = { key: "grams" as Beside, name: t`Grams`, unit: "g", of: (point: Curve["points"][number]) => point.filament_g, digits: 1 };

const BESIDE: readonly { key: Beside; name: string; unit: string; of: (point: Curve["points"][number]) => number | null | undefined; digits: number }[] = [
  GRAMS,
  { key: "steps", name: t`Steps`, unit: "mm", of: (point) => point.ridge_mm, digits: 2 },
  { key: "flow", name: t`Flow`, unit: "mm³/s", of: (point) => point.peak_flow_mm3_s, digits: 1 },
];

interface RowCurveProps {
  field: Field;
  column: RecipeColumn;
  /** The column's figures are there: so is what the curve shares with them. */
  ready: boolean;
  actions: SheetActions;
}

/** What each value of a row would take on this part: minutes, and grams, steps or flow beside them; a click sets it. */
export function RowCurve({ field, column, ready, actions }: RowCurveProps) {
  const [beside, setBeside] = useState<Beside>("grams");
  const toast = useToast();
  const answer = useCurve(column, field.key, ready);
  const curve = answer.data?.curve;
  if (answer.isError) return <p className="mt-2 text-sm text-quiet">{answer.error.message}</p>;
  if (curve === undefined) return <p className="mt-2 text-sm text-quiet"><Trans>What other values would take here: computing …</Trans></p>;
  const scale = field.kind === "percent" ? 100 : 1;
  const shown = (value: number) => plain(value * scale);
  const set = (value: number) => {
    if (value === curve.now) return;
    actions
      .edit({ recipe: column.id, key: field.key, value }, t`${field.label.toLowerCase()} in ${column.name}`)
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  };
  const side = BESIDE.find((one) => one.key === beside) ?? GRAMS;
  const done = answer.data?.done === true && !answer.isPlaceholderData;
  return (
    <div className={answer.isPlaceholderData ? "stale mt-2" : "mt-2"} data-testid="row-curve">
      <p className="min-h-10 text-sm" aria-live={done ? "polite" : "off"}>
        {done ? bendInWords(curve, shown, field.unit) : t`Drawing it on this part: ${curve.points.length} of ${curve.of} values …`}
      </p>
      <Chart curve={curve} beside={side} scale={scale} onSet={set} />
      <div className="flex items-center gap-2 text-xs">
        <span className="text-quiet"><Trans>Minutes, and dashed</Trans></span>
        <div className="join" role="group" aria-label={t`Beside the minutes`}>
          {BESIDE.map((one) => (
            <button key={one.key} type="button" aria-pressed={beside === one.key} className={`btn join-item btn-xs ${beside === one.key ? "btn-neutral" : "btn-outline"}`} onClick={() => setBeside(one.key)}>
              {one.name}
            </button>
          ))}
        </div>
      </div>
      <table className="mt-1 w-full text-sm">
        <caption className="sr-only">
          <Trans>{field.label} of {column.name}: what each value takes on this part</Trans>
        </caption>
        <tbody>
          {curve.points.map((point) => (
            <Row key={point.value} point={point} curve={curve} side={side} label={`${shown(point.value)} ${field.unit}`} onSet={() => set(point.value)} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface RowProps {
  point: Curve["points"][number];
  curve: Curve;
  side: (typeof BESIDE)[number];
  label: string;
  onSet: () => void;
}

function Row({ point, curve, side, label, onSet }: RowProps) {
  const now = curve.points.find((one) => one.value === curve.now);
  const here = point.value === curve.now;
  const mark = curve.marks.find((one) => one.value === point.value)?.label ?? (curve.bend?.value === point.value ? t`the bend` : undefined);
  const amount = side.of(point);
  return (
    <tr className={`border-t border-base-300 ${here ? "bg-base-200 font-semibold" : ""}`}>
      <th scope="row" className="whitespace-nowrap py-0.5 text-left font-normal">
        {label}
        {mark && <span className="block text-xs leading-3 text-quiet">{mark}</span>}
      </th>
      {point.problem ? (
        <td colSpan={2} className="text-xs text-quiet">
          {point.problem}
        </td>
      ) : (
        <>
          <td className="whitespace-nowrap text-right">{here ? formatDuration(point.piece_time_s ?? 0) : formatDurationDifference((point.piece_time_s ?? 0) - (now?.piece_time_s ?? 0))}</td>
          <td className="whitespace-nowrap pl-2 text-right">
            {side.key !== "grams" ? fixed(amount ?? 0, side.digits) : here ? formatGrams(amount ?? 0) : formatGramsDifference((amount ?? 0) - (now?.filament_g ?? 0))}
          </td>
        </>
      )}
      <td className="pl-1 text-right">
        {here ? (
          <span className="px-2 text-xs text-quiet"><Trans>now</Trans></span>
        ) : (
          !point.problem && (
            <button type="button" className="btn btn-ghost btn-xs" onClick={onSet}>
              <Trans>Take<span className="sr-only"> {label}</span></Trans>
            </button>
          )
        )}
      </td>
    </tr>
  );
}

const SMALL = { fill: "var(--quiet)", fontSize: 11 };

/** Of ascending places those to be written: at most seven, the ends among them. */
function spread(places: readonly number[]): number[] {
  const step = Math.ceil(places.length / 7);
  return places.filter((_, at) => at % step === 0 || at === places.length - 1);
}

/** The curve, as a picture: the same figures stand below it as a table. */
function Chart({ curve, beside, scale, onSet }: { curve: Curve; beside: (typeof BESIDE)[number]; scale: number; onSet: (value: number) => void }) {
  const points = curve.points.flatMap((point) => (point.piece_time_s == null ? [] : [{ x: point.value * scale, value: point.value, minutes: point.piece_time_s / 60, side: beside.of(point) ?? null }]));
  const xs = points.map((one) => one.x);
  const minutes = points.map((one) => one.minutes);
  const ticks = minuteTicks(Math.min(...minutes), Math.max(...minutes));
  const range: [number, number] = [Math.min(...xs), Math.max(...xs)];
  const { bend } = curve;
  return (
    <div className="h-44" aria-hidden="true">
      <ResponsiveContainer width="100%" height="100%">
        <ComposedChart accessibilityLayer={false} data={points} margin={{ top: 16, right: 0, bottom: 0, left: 0 }}>
          <CartesianGrid stroke="var(--rule)" vertical={false} />
          <XAxis type="number" dataKey="x" domain={range} tick={SMALL} stroke="var(--rule)" ticks={spread(xs)} tickFormatter={(value: number) => plain(Number(value.toPrecision(3)))} />
          <YAxis yAxisId="minutes" domain={[ticks[0] ?? 0, ticks.at(-1) ?? 1]} ticks={ticks} tick={SMALL} stroke="var(--rule)" width={48} tickFormatter={(value: number) => (value === 0 ? "0" : formatDuration(value * 60))} />
          <YAxis yAxisId="side" orientation="right" domain={["auto", "auto"]} tickCount={4} tick={SMALL} stroke="var(--rule)" width={40} tickFormatter={(value: number) => plain(Number(value.toPrecision(3)))} />
          {bend && <ReferenceArea yAxisId="minutes" x1={Math.min(bend.now, bend.value) * scale} x2={Math.max(bend.now, bend.value) * scale} fill="var(--molten-wash)" fillOpacity={0.9} />}
          {curve.marks
            .filter((mark) => mark.value * scale >= range[0] && mark.value * scale <= range[1])
            .map((mark) => (
              <ReferenceLine key={mark.label} yAxisId="minutes" x={mark.value * scale} stroke="var(--quiet)" strokeDasharray="2 3" label={{ value: mark.label, position: mark.value * scale > (range[0] + range[1]) / 2 ? "insideBottomRight" : "insideBottomLeft", fill: "var(--quiet)", fontSize: 11 }} />
            ))}
          <ReferenceLine yAxisId="minutes" x={curve.now * scale} stroke="var(--molten)" strokeWidth={1.5} label={{ value: "now", position: "top", fill: "var(--molten)", fontSize: 11 }} />
          <Line yAxisId="side" dataKey="side" stroke="var(--quiet)" strokeDasharray="5 4" strokeWidth={1.4} dot={false} activeDot={false} isAnimationActive={false} connectNulls />
          <Line
            yAxisId="minutes"
            dataKey="minutes"
            stroke="currentColor"
            strokeWidth={1.8}
            isAnimationActive={false}
            activeDot={false}
            dot={({ cx, cy, payload }: { cx?: number; cy?: number; payload?: { value: number } }) => (
              <g key={payload?.value} className="cursor-pointer" onClick={() => payload && onSet(payload.value)}>
                <circle cx={cx} cy={cy} r={12} fill="transparent" />
                <circle cx={cx} cy={cy} r={4} className={payload?.value === curve.now ? "fill-molten" : "fill-base-content"} />
              </g>
            )}
          />
        </ComposedChart>
      </ResponsiveContainer>
    </div>
  );
}
