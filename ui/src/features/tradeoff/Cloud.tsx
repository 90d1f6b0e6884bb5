import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { CartesianGrid, ResponsiveContainer, Scatter, ScatterChart, Tooltip, usePlotArea, useXAxisScale, useYAxisScale, XAxis, YAxis } from "recharts";
import type { Evaluation, Measures } from "../../api/client";
import { formatDuration, formatDurationDifference, percentDifference } from "../../lib/format";
import type { Axis } from "./frontier";
import { placeNames } from "./names";

export interface Mark {
  name: string;
  measures: Measures;
}

interface CloudProps {
  dots: readonly Evaluation[];
  /** Numbers of the dots that pass the sliders. */
  shown: readonly number[];
  frontier: readonly number[];
  knee: number | undefined;
  picked: ReadonlySet<number>;
  columns: readonly Mark[];
  axis: Axis;
  describe: (dot: Evaluation) => string;
  onPick: (number: number) => void;
}

interface Point {
  x: number;
  y: number;
  number: number;
  name: string;
  fits: boolean;
  full: boolean;
  /** How far the time may be off, s. */
  off_s: number;
}

/** Every allowed recipe as a dot, the frontier as a line with its points, the columns as squares with their names. */
export function Cloud({ dots, shown, frontier, knee, picked, columns, axis, describe, onPick }: CloudProps) {
  const point = (number: number): Point | null => {
    const dot = dots[number];
    if (dot === undefined) return null;
    return {
      x: dot.measures.piece_time_s / 60,
      y: axis.of(dot.measures),
      number,
      name: describe(dot),
      fits: dot.just_fits,
      full: dot.full,
      off_s: dot.bound_s,
    };
  };
  const points = (numbers: readonly number[]) => numbers.map(point).filter((one) => one !== null);
  const onFrontier = new Set(frontier);
  const cloud = points(shown.filter((one) => !onFrontier.has(one)));
  const line = points(frontier);
  const mine = columns.map((column, index) => ({
    x: column.measures.piece_time_s / 60,
    y: axis.of(column.measures),
    number: -1 - index,
    name: column.name,
    fits: false,
    full: true,
    off_s: 0,
  }));
  const first = columns[0]?.measures;
  const tick = { fill: "var(--quiet)", fontSize: 12 };
  // What is far slower than all that matters would squeeze the rest into a corner.
  const must = [...line, ...mine].map((one) => one.x);
  const slow = cloud.map((one) => one.x).sort((a, b) => a - b);
  const low = Math.min(...must, ...slow.slice(0, 1));
  const reach = Math.max(...must, slow[Math.floor(0.85 * slow.length)] ?? 0);
  // One lonely column still needs room on both sides.
  const high = Math.max(reach, 1.1 * low);
  const heights = [...cloud, ...line, ...mine].map((one) => one.y);
  const tall = Math.max(...heights) - Math.min(...heights);
  const beyond = cloud.filter((one) => one.x > high).length;
  const ticks = niceTicks(low, high);
  return (
    <div style={{ height: 420 }} data-testid="cloud">
      <ResponsiveContainer width="100%" height="100%">
        <ScatterChart accessibilityLayer={false} margin={{ top: 14, right: 20, bottom: 18, left: 6 }}>
          <CartesianGrid stroke="var(--rule)" />
          <XAxis
            type="number"
            dataKey="x"
            domain={[ticks[0] ?? 0, ticks.at(-1) ?? high]}
            ticks={ticks}
            allowDataOverflow
            tick={tick}
            stroke="var(--rule)"
            tickFormatter={(value: number) => formatDuration(value * 60)}
            label={{ value: beyond > 0 ? t`Print time a piece (${beyond} slower ones lie beyond)` : t`Print time a piece`, position: "insideBottom", offset: -10, fill: "var(--quiet)", fontSize: 13 }}
          />
          <YAxis
            type="number"
            dataKey="y"
            domain={["auto", "auto"]}
            tick={tick}
            stroke="var(--rule)"
            width={58}
            tickFormatter={(value: number) => axis.tick(value, tall)}
            label={{ value: axis.label, angle: -90, position: "insideLeft", fill: "var(--quiet)", fontSize: 13, dy: 40 }}
          />
          <Tooltip
            cursor={false}
            isAnimationActive={false}
            content={({ payload }) => {
              const at = payload[0]?.payload as Point | undefined;
              return at === undefined ? null : <Told point={at} axis={axis} first={first} firstName={columns[0]?.name ?? ""} />;
            }}
          />
          <Scatter
            data={cloud}
            isAnimationActive={false}
            shape={(props: Shaped) => <Small {...props} picked={picked} />}
            onClick={(at) => onPick((at.payload as Point).number)}
          />
          <Scatter
            data={line}
            line={{ stroke: "var(--molten)", strokeWidth: 2 }}
            lineType="joint"
            isAnimationActive={false}
            shape={(props: Shaped) => <Large {...props} picked={picked} knee={knee} />}
            onClick={(at) => onPick((at.payload as Point).number)}
          />
          <Scatter data={mine} isAnimationActive={false} shape={Own} />
          <Names marks={mine} />
        </ScatterChart>
      </ResponsiveContainer>
    </div>
  );
}

/** Ticks in minutes, around a range, by steps that clocks have. */
function niceTicks(low: number, high: number): number[] {
  const step = [1, 2, 5, 10, 15, 30, 60, 120, 240, 480, 720, 1440].find((one) => (high - low) / one <= 7) ?? 2880;
  const first = Math.floor((low - 0.02 * (high - low)) / step) * step;
  const ticks = [];
  for (let at = Math.max(0, first); at < high + step; at += step) ticks.push(at);
  return ticks;
}

interface Shaped {
  cx?: number;
  cy?: number;
  payload?: Point;
}

function Small({ cx = 0, cy = 0, payload, picked }: Shaped & { picked: ReadonlySet<number> }) {
  const chosen = payload !== undefined && picked.has(payload.number);
  return (
    <circle
      cx={cx}
      cy={cy}
      r={chosen ? 6 : 3}
      className="cursor-pointer"
      fill={chosen ? "var(--color-base-content)" : "var(--color-secondary)"}
      fillOpacity={chosen ? 1 : payload?.full ? 0.75 : 0.22}
    />
  );
}

function Large({ cx = 0, cy = 0, payload, picked, knee }: Shaped & { picked: ReadonlySet<number>; knee: number | undefined }) {
  const chosen = payload !== undefined && picked.has(payload.number);
  return (
    <g className="cursor-pointer">
      {payload?.number === knee && <circle cx={cx} cy={cy} r={11} fill="none" stroke="var(--molten)" strokeWidth={1.5} strokeDasharray="3 2" />}
      <circle cx={cx} cy={cy} r={6} fill={chosen ? "var(--color-base-content)" : "var(--molten)"} stroke="var(--color-base-100)" />
      {payload?.fits && <path d={`M${cx - 4} ${cy - 9} h8 v-3 h-8 z`} fill="var(--color-base-content)" />}
    </g>
  );
}

/** A column's square. */
function Own({ cx = 0, cy = 0 }: Shaped) {
  return <rect x={cx - 5} y={cy - 5} width={10} height={10} fill="var(--color-base-100)" stroke="var(--color-base-content)" strokeWidth={2} />;
}

/** The columns' names, apart from one another. */
function Names({ marks }: { marks: readonly { x: number; y: number; name: string }[] }) {
  const [x, y, plot] = [useXAxisScale(), useYAxisScale(), usePlotArea()];
  if (!x || !y || !plot) return null;
  const squares = marks.map((one) => ({ x: Number(x(one.x)), y: Number(y(one.y)), name: one.name }));
  const places = placeNames(squares, { left: plot.x, right: plot.x + plot.width, top: plot.y, bottom: plot.y + plot.height });
  return (
    <g pointerEvents="none">
      {places.map((place, at) => {
        const square = squares[at] ?? place;
        return (
          <g key={at}>
            {place.away && <path d={`M${square.x} ${square.y} L${place.x} ${place.y}`} stroke="var(--quiet)" />}
            <text x={place.x} y={place.y} dy="0.33em" textAnchor={place.anchor} fontSize={12} fill="var(--color-base-content)" paintOrder="stroke" stroke="var(--color-base-100)" strokeWidth={3}>
              {marks[at]?.name}
            </text>
          </g>
        );
      })}
    </g>
  );
}

interface ToldProps {
  point: Point;
  axis: Axis;
  first: Measures | undefined;
  firstName: string;
}

function Told({ point, axis, first, firstName }: ToldProps) {
  return (
    <div className="max-w-80 border border-rule bg-base-100 px-2 py-1 text-sm shadow">
      <p className="font-semibold">{point.name}</p>
      <p>
        {formatDuration(point.x * 60)}, {axis.show(point.y)}
        {!point.full && <span className="text-quiet"> <Trans>from a sample: ± {formatDuration(Math.ceil(point.off_s))}</Trans></span>}
      </p>
      {first && point.number >= 0 && (
        <p className="text-quiet">
          <Trans>{formatDurationDifference(point.x * 60 - first.piece_time_s)} {percentDifference(point.x * 60, first.piece_time_s)} beside {firstName}</Trans>
        </p>
      )}
      {point.fits && <p><Trans>Just fits its slot: a little longer would cost a plate.</Trans></p>}
    </div>
  );
}
