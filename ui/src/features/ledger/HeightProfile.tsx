import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueries } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type LayerLedger, type Part, type RecipeColumn } from "../../api/client";
import { fixed, formatDuration } from "../../lib/format";

const WIDE = 300;
const HIGH = 220;
const BANDS = 60;

interface Profile {
  column: RecipeColumn;
  ledger: LayerLedger;
  /** Minutes by millimetre of height, in even bands from the bed up. */
  pace: number[];
  /** What is drawn: that, or the flow in each band, mm³/s. */
  drawn: number[];
}

/** Minutes by height beside the part's silhouette, so that the slow band can be seen. */
export function HeightProfile({ part, columns }: { part: Part; columns: RecipeColumn[] }) {
  const [at, setAt] = useState<number | null>(null);
  const [measure, setMeasure] = useState<"minutes" | "flow">("minutes");
  const answers = useQueries({
    queries: columns.slice(0, 3).map((column) => ({
      queryKey: ["by-layer", column.id, column.version, column.part_digest],
      queryFn: async ({ signal }: { signal: AbortSignal }) =>
        take(await api.GET("/api/recipes/{recipe_id}/layers", { params: { path: { recipe_id: column.id } }, signal })),
      enabled: column.problem == null,
      staleTime: Infinity,
      gcTime: 60_000,
      retry: false,
    })),
  });
  const top = Math.max(...answers.map((answer) => answer.data?.top_mm.at(-1) ?? 0), 0);
  const profiles: Profile[] = answers.flatMap((answer, index) => {
    const column = columns[index];
    if (!answer.data || !column) return [];
    const pace = paceByBand(answer.data, top);
    return [{ column, ledger: answer.data, pace, drawn: measure === "minutes" ? pace : flowByBand(answer.data, top) }];
  });
  const first = profiles[0];
  const most = Math.max(...profiles.flatMap((profile) => profile.drawn), 1e-9);
  const band = (HIGH - 20) / BANDS;
  const slow = first && slowest(first.pace, top);
  return (
    <section aria-labelledby="profile-title">
      <h2 id="profile-title" className="sr-only">
        <Trans>Minutes by height</Trans>
      </h2>
      {first === undefined && <p className="text-sm text-quiet"><Trans>Adding up the layers …</Trans></p>}
      {first && slow && (
        <>
          <p className="text-sm">
            {slow.share > 1.5 * slow.part
              ? t`${Math.round(100 * slow.share)} % of ${first.column.name} lies between ${fixed(slow.low, 0)} and ${fixed(slow.high, 0)} mm, which is ${Math.round(100 * slow.part)} % of the height.`
              : t`${first.column.name} goes up at an even pace.`}
          </p>
          <div className="join my-1" role="group" aria-label={t`By height`}>
            {(["minutes", "flow"] as const).map((one) => (
              <button key={one} type="button" aria-pressed={measure === one} className={`btn join-item btn-xs ${measure === one ? "btn-neutral" : "btn-outline"}`} onClick={() => setMeasure(one)}>
                {one === "minutes" ? t`Minutes` : t`Flow`}
              </button>
            ))}
          </div>
          <div className="flex flex-wrap items-start gap-4">
            <svg
              viewBox={`0 0 ${WIDE} ${HIGH}`}
              className="w-full max-w-md"
              role="img"
              aria-label={t`${measure === "minutes" ? t`Minutes a millimetre` : t`Flow`} by height, beside the silhouette of ${part.name}`}
              onMouseLeave={() => setAt(null)}
              onMouseMove={(event) => {
                const box = event.currentTarget.getBoundingClientRect();
                const y = ((event.clientY - box.top) / box.height) * HIGH;
                setAt(Math.min(BANDS - 1, Math.max(0, Math.floor((HIGH - 20 - y) / band))));
              }}
            >
              <Silhouette ledger={first.ledger} top={top} />
              <line x1={110} x2={110} y1={0} y2={HIGH - 20} stroke="var(--rule)" />
              {profiles.map((profile, index) => (
                <path
                  key={profile.column.id}
                  d={outline(profile.drawn, most, band)}
                  fill={index === 0 ? "var(--color-secondary)" : "none"}
                  fillOpacity={0.35}
                  stroke={index === 0 ? "var(--color-secondary)" : "var(--molten)"}
                  strokeDasharray={["", "5 3", "1.5 3"][index]}
                  strokeWidth={1.5}
                />
              ))}
              {at !== null && (
                <rect x={0} width={WIDE} y={HIGH - 20 - (at + 1) * band} height={band} fill="var(--molten)" fillOpacity={0.25} />
              )}
              <text x={112} y={HIGH - 4} fontSize={11} fill="var(--quiet)">
                0
              </text>
              <text x={WIDE} y={HIGH - 4} fontSize={11} textAnchor="end" fill="var(--quiet)">
                {fixed(most, most < 1 ? 2 : 1)} {measure === "minutes" ? t`min a mm` : "mm³/s"}
              </text>
            </svg>
            <ul className="text-sm">
              {profiles.map((profile, index) => (
                <li key={profile.column.id} className="flex items-center gap-2">
                  <svg width={26} height={8} aria-hidden="true">
                    <line x1={0} x2={26} y1={4} y2={4} stroke={index === 0 ? "var(--color-secondary)" : "var(--molten)"} strokeWidth={2} strokeDasharray={["", "5 3", "1.5 3"][index]} />
                  </svg>
                  {profile.column.name}
                </li>
              ))}
              <li className="mt-2 h-12 text-quiet">
                {at === null ? (
                  t`Point at a height to read it.`
                ) : (
                  <>
                    <Trans>
                      {fixed((at * top) / BANDS, 1)} to {fixed(((at + 1) * top) / BANDS, 1)} mm:{" "}
                      {measure === "minutes" ? formatDuration(((first.pace[at] ?? 0) * 60 * top) / BANDS) : `${fixed(first.drawn[at] ?? 0, 1)} mm³/s`}
                    </Trans>
                  </>
                )}
              </li>
              <li>
                <Link className="underline" to={`/parts/${part.id}/layers?column=${first.column.id}&mm=${fixed((slow.low + slow.high) / 2, 2)}`}>
                  <Trans>See these layers</Trans>
                </Link>
              </li>
            </ul>
          </div>
        </>
      )}
    </section>
  );
}

/** Amounts of layers in even bands of height; a layer counts in each band by how far it reaches into it. */
export function byBand(ledger: Pick<LayerLedger, "top_mm" | "height_mm">, top: number, amounts: readonly number[]): number[] {
  const sums = new Array<number>(BANDS).fill(0);
  const band = top / BANDS;
  amounts.forEach((amount, layer) => {
    const high = ledger.top_mm[layer] ?? 0;
    const height = ledger.height_mm[layer] ?? 1;
    const low = high - height;
    for (let at = Math.floor(low / band); at <= Math.min(BANDS - 1, Math.floor(high / band)); at++) {
      const overlap = Math.min(high, (at + 1) * band) - Math.max(low, at * band);
      if (at >= 0 && overlap > 0) sums[at] = (sums[at] ?? 0) + (amount * overlap) / height;
    }
  });
  return sums;
}

function paceByBand(ledger: LayerLedger, top: number): number[] {
  return byBand(ledger, top, ledger.time_s).map((one) => one / 60 / (top / BANDS));
}

/** Plastic over time in each band, mm³/s. */
function flowByBand(ledger: LayerLedger, top: number): number[] {
  const seconds = byBand(ledger, top, ledger.time_s);
  return byBand(ledger, top, ledger.filament_mm3).map((one, at) => one / Math.max(seconds[at] ?? 0, 1e-9));
}

/** The fifth of the height with the most minutes in it. */
function slowest(pace: number[], top: number): { low: number; high: number; share: number; part: number } {
  const wide = Math.round(BANDS / 5);
  const whole = pace.reduce((sum, one) => sum + one, 0) || 1;
  let best = { at: 0, sum: -1 };
  for (let at = 0; at + wide <= BANDS; at++) {
    const sum = pace.slice(at, at + wide).reduce((total, one) => total + one, 0);
    if (sum > best.sum) best = { at, sum };
  }
  return { low: (best.at * top) / BANDS, high: ((best.at + wide) * top) / BANDS, share: best.sum / whole, part: wide / BANDS };
}

function outline(pace: number[], most: number, band: number): string {
  const x = (value: number) => 112 + (value / most) * (WIDE - 114);
  const steps = pace.map((value, at) => `V${HIGH - 20 - at * band}H${x(value)}V${HIGH - 20 - (at + 1) * band}`);
  return `M112 ${HIGH - 20}${steps.join("")}H112Z`;
}

function Silhouette({ ledger, top }: { ledger: LayerLedger; top: number }) {
  const left = Math.min(...ledger.left_mm);
  const right = Math.max(...ledger.right_mm);
  const scale = Math.min((HIGH - 20) / top, 100 / Math.max(right - left, 1e-9));
  const middle = (left + right) / 2;
  const x = (value: number) => 52 + (value - middle) * scale;
  // The profile is drawn over the whole height, and the silhouette stretched with it.
  const y = (value: number) => HIGH - 20 - (value / top) * (HIGH - 20);
  const side = (reach: number[]) =>
    reach.map((value, layer) => {
      const z = ledger.top_mm[layer] ?? 0;
      return `${x(value)},${y(z - (ledger.height_mm[layer] ?? 0))} ${x(value)},${y(z)}`;
    });
  const points = [...side(ledger.left_mm), ...side(ledger.right_mm).reverse().map((pair) => pair.split(" ").reverse().join(" "))];
  return <polygon points={points.join(" ")} fill="var(--color-base-300)" stroke="var(--quiet)" strokeWidth={0.8} />;
}
