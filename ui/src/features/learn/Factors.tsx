import { t } from "@lingui/core/macro";
import type { LearntFactor } from "../../api/client";
import { fixed } from "../../lib/format";
import { onStrip } from "./scale";

/** What each kind of second really takes on a machine, with its interval on one strip, and in words. */
export function Factors({ factors }: { factors: readonly LearntFactor[] }) {
  return (
    <dl className="mt-1 divide-y divide-rule border-y border-rule text-sm">
      {factors.map((factor) => (
        <div key={factor.name} className="grid grid-cols-[9.5rem_minmax(0,1fr)] items-center gap-x-3 py-1.5">
          <dt className={factor.learnt ? "font-semibold" : ""} title={factor.why}>
            {factor.words}
          </dt>
          <dd className={`grid items-center gap-x-3 sm:grid-cols-[6rem_minmax(0,1fr)] ${factor.learnt ? "" : "text-quiet"}`}>
            {factor.name === "offset_s" ? <span className="hidden sm:block" /> : <Strip factor={factor} />}
            <span>{factor.says}</span>
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Strip({ factor }: { factor: LearntFactor }) {
  const at = (value: number) => 100 * onStrip(value);
  return (
    <svg viewBox="0 0 100 12" className="hidden w-full sm:block" role="img" aria-label={t`${fixed(factor.value, 2)} times, between ${fixed(factor.low, 2)} and ${fixed(factor.high, 2)}`}>
      <path d="M0 6H100" stroke="var(--rule)" />
      <path d="M50 1V11" stroke="var(--quiet)" strokeDasharray="2 2" />
      <path d={`M${at(factor.low)} 6H${at(factor.high)}`} stroke={factor.learnt ? "var(--molten)" : "var(--quiet)"} strokeWidth={3} />
      <circle cx={at(factor.value)} cy={6} r={3.4} fill={factor.learnt ? "var(--molten)" : "var(--quiet)"} />
    </svg>
  );
}
