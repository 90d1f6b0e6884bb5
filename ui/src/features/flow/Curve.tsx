import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Area, CartesianGrid, ComposedChart, ErrorBar, Line, ReferenceArea, ReferenceLine, ResponsiveContainer, Scatter, Tooltip, XAxis, YAxis } from "recharts";
import type { FlowAtTemp, FlowTest } from "../../api/client";
import { fixed } from "../../lib/format";
import { strandOf } from "./strands";

interface CurveProps {
  test: FlowTest;
  entry: FlowAtTemp;
  height?: number;
  /** The same scale as another curve's: the least ratio and the largest flow to be shown. */
  scale?: Scale;
}

export interface Scale {
  least: number;
  most: number;
}

/** What one curve needs; two beside each other take the wider of both. */
export function scaleOf(test: FlowTest, entry: FlowAtTemp): Scale {
  const points = weighed(test, entry);
  return {
    least: Math.min(...points.map((one) => one.ratio - one.error), 0.9),
    most: Math.max(...points.map((one) => one.flow), ...(entry.curve?.flow_mm3_s ?? []), 1),
  };
}

interface Weighed {
  flow: number;
  ratio: number;
  error: number;
  look: string;
  out: boolean;
}

/** Output over input against flow: what was weighed, the fitted line with its band, the knee's interval, and the limits. */
export function Curve({ test, entry, height = 320, scale }: CurveProps) {
  const points = weighed(test, entry);
  const curve = entry.curve;
  const line = curve ? curve.flow_mm3_s.map((flow, at) => ({ flow, ratio: curve.ratio[at], band: [curve.low[at], curve.high[at]] })) : [];
  const { least, most } = scale ?? scaleOf(test, entry);
  const floor = Math.max(0, Math.floor(least * 10 - 0.3) / 10);
  const ceiling = Math.ceil(10 * Math.max(...points.map((one) => one.ratio + one.error), 1) + 0.2) / 10;
  const ticks = Array.from({ length: Math.round(10 * (ceiling - floor)) + 1 }, (_, at) => floor + at / 10);
  const tick = { fill: "var(--quiet)", fontSize: 12 };
  const knee = entry.knee_mm3_s;
  return (
    <figure className="m-0">
      <div style={{ height }} data-testid="curve">
        <ResponsiveContainer width="100%" height="100%">
          <ComposedChart accessibilityLayer={false} margin={{ top: 22, right: 16, bottom: 20, left: 4 }}>
            <CartesianGrid stroke="var(--rule)" />
            <XAxis type="number" dataKey="flow" domain={[0, Math.ceil(most)]} allowDataOverflow tick={tick} stroke="var(--rule)" label={{ value: t`Flow asked for, mm³/s`, position: "insideBottom", offset: -10, fill: "var(--quiet)", fontSize: 13 }} />
            <YAxis type="number" domain={[floor, ceiling]} ticks={ticks} allowDataOverflow tick={tick} stroke="var(--rule)" width={52} tickFormatter={(value: number) => `${Math.round(100 * value)} %`} label={{ value: t`Output over input`, angle: -90, position: "insideLeft", fill: "var(--quiet)", fontSize: 13, dy: 50 }} />
            {knee && <ReferenceArea x1={knee.low} x2={knee.high} fill="var(--molten-wash)" fillOpacity={0.9} label={{ value: t`knee`, position: "insideBottom", fill: "var(--molten)", fontSize: 12 }} />}
            {entry.plan_mm3_s != null && <ReferenceLine x={entry.plan_mm3_s} stroke="var(--molten)" strokeWidth={2} label={{ value: t`plan ${fixed(entry.plan_mm3_s, 1)}`, position: "top", fill: "var(--molten)", fontSize: 12 }} />}
            {entry.curl_seen_mm3_s != null && <ReferenceLine x={entry.curl_seen_mm3_s} stroke="var(--quiet)" strokeDasharray="5 4" label={{ value: t`curls`, position: "insideTopLeft", fill: "var(--quiet)", fontSize: 12 }} />}
            {entry.skip_seen_mm3_s != null && <ReferenceLine x={entry.skip_seen_mm3_s} stroke="var(--quiet)" strokeDasharray="1 4" label={{ value: t`skips`, position: "insideTopLeft", fill: "var(--quiet)", fontSize: 12 }} />}
            <Area data={line} dataKey="band" stroke="none" fill="var(--quiet)" fillOpacity={0.22} isAnimationActive={false} activeDot={false} />
            <Line data={line} dataKey="ratio" stroke="currentColor" strokeWidth={1.8} dot={false} activeDot={false} isAnimationActive={false} />
            <Scatter data={points} dataKey="ratio" isAnimationActive={false} shape={Dot}>
              <ErrorBar dataKey="error" width={4} stroke="currentColor" direction="y" />
            </Scatter>
            <Tooltip
              cursor={false}
              isAnimationActive={false}
              content={({ payload }) => {
                const one = (payload as unknown as { payload: Weighed }[]).map((entry) => entry.payload).find((entry) => "look" in entry);
                return one === undefined ? null : (
                  <div className="border border-rule bg-base-100 px-2 py-1 text-sm">
                    {fixed(one.flow, 1)} mm³/s: {fixed(100 * one.ratio, 1)} ± {fixed(100 * one.error, 1)} %{one.look && `, ${one.look}`}
                    {one.out && t`; left out`}
                  </div>
                );
              }}
            />
          </ComposedChart>
        </ResponsiveContainer>
      </div>
      <figcaption className="text-xs text-quiet"><Trans>Bars: scale and cut, 90 %. Grey band: the line, 90 %. Crosses are left out.</Trans></figcaption>
    </figure>
  );
}

function Dot({ cx = 0, cy = 0, payload }: { cx?: number; cy?: number; payload?: Weighed }) {
  if (payload?.out) return <path d={`M${cx - 4} ${cy - 4} l8 8 M${cx + 4} ${cy - 4} l-8 8`} stroke="currentColor" strokeWidth={1.6} />;
  return <circle cx={cx} cy={cy} r={4} fill="var(--molten)" stroke="var(--color-base-100)" />;
}

function weighed(test: FlowTest, entry: FlowAtTemp): Weighed[] {
  const out = new Set(test.fit?.left_out ?? []);
  const scatter = test.fit?.scatter ?? 0;
  return test.points.flatMap(({ point }, at) => {
    const expected = test.expected_g[at];
    const here = Math.abs(point.temp_c - entry.temp_c) <= 3 && (point.fan ?? 0) > 0.05 === entry.fan;
    if (!here || point.mass_g == null || expected == null) return [];
    const scale = test.setup.scale_g ?? 0.01;
    const error = 1.645 * Math.hypot(scale / Math.sqrt(12) / expected, scatter);
    return [{ flow: point.flow_mm3_s, ratio: point.mass_g / expected, error, look: strandOf(point.strand)?.label ?? "", out: out.has(at) || point.used === false }];
  });
}
