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
}

/** Minutes by height beside the part's silhouette, so that the slow band can be seen. */
export function HeightProfile({ part, columns }: { part: Part; columns: RecipeColumn[] }) {
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState<number | null>(null);
  const answers = useQueries({
    queries: columns.slice(0, 3).map((column) => ({
      queryKey: ["by-layer", column.id, column.version, column.part_digest],
      queryFn: async ({ signal }: { signal: AbortSignal }) =>
        take(await api.GET("/api/recipes/{recipe_id}/layers", { params: { path: { recipe_id: column.id } }, signal })),
      enabled: open && column.problem == null,
      staleTime: Infinity,
      gcTime: 60_000,
      retry: false,
    })),
  });
  const top = Math.max(...answers.map((answer) => answer.data?.top_mm.at(-1) ?? 0), 0);
  const profiles: Profile[] = answers.flatMap((answer, index) => {
    const column = columns[index];
    return answer.data && column ? [{ column, ledger: answer.data, pace: paceByBand(answer.data, top) }] : [];
  });
  const first = profiles[0];
  const most = Math.max(...profiles.flatMap((profile) => profile.pace), 1e-9);
  const band = (HIGH - 20) / BANDS;
  const slow = first && slowest(first.pace, top);
  return (
    <section aria-labelledby="profile-title">
      <h2 id="profile-title" className="font-serif text-2xl">
        Minutes by height
      </h2>
      {!open && (
        <button type="button" className="btn btn-outline btn-xs mt-1" onClick={() => setOpen(true)}>
          Show the slow band
        </button>
      )}
      {open && first === undefined && <p className="text-sm text-quiet">Adding up the layers …</p>}
      {first && slow && (
        <>
          <p className="text-sm">
            {slow.share > 1.5 * slow.part
              ? `${Math.round(100 * slow.share)} % of ${first.column.name} lies between ${fixed(slow.low, 0)} and ${fixed(slow.high, 0)} mm, which is ${Math.round(100 * slow.part)} % of the height.`
              : `${first.column.name} goes up at an even pace.`}
          </p>
          <div className="flex flex-wrap items-start gap-4">
            <svg
              viewBox={`0 0 ${WIDE} ${HIGH}`}
              className="w-full max-w-md"
              role="img"
              aria-label={`Minutes a millimetre by height, beside the silhouette of ${part.name}`}
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
                  d={outline(profile.pace, most, band)}
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
                {fixed(most, most < 1 ? 2 : 1)} min a mm
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
                  "Point at a height to read it."
                ) : (
                  <>
                    {fixed((at * top) / BANDS, 1)} to {fixed(((at + 1) * top) / BANDS, 1)} mm:{" "}
                    {formatDuration(((first.pace[at] ?? 0) * 60 * top) / BANDS)}
                  </>
                )}
              </li>
              <li>
                <Link className="underline" to={`/parts/${part.id}/layers?column=${first.column.id}&mm=${fixed((slow.low + slow.high) / 2, 2)}`}>
                  See these layers
                </Link>
              </li>
            </ul>
          </div>
        </>
      )}
    </section>
  );
}

/** Minutes a millimetre in even bands; a layer counts in each band by how far it reaches into it. */
function paceByBand(ledger: LayerLedger, top: number): number[] {
  const seconds = new Array<number>(BANDS).fill(0);
  const band = top / BANDS;
  ledger.time_s.forEach((time, layer) => {
    const high = ledger.top_mm[layer] ?? 0;
    const height = ledger.height_mm[layer] ?? 1;
    const low = high - height;
    for (let at = Math.floor(low / band); at <= Math.min(BANDS - 1, Math.floor(high / band)); at++) {
      const overlap = Math.min(high, (at + 1) * band) - Math.max(low, at * band);
      if (at >= 0 && overlap > 0) seconds[at] = (seconds[at] ?? 0) + (time * overlap) / height;
    }
  });
  return seconds.map((one) => one / 60 / band);
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
