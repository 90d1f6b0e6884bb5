import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { api, take } from "../api/client";
import { useDay } from "../api/day";
import { useJob } from "../api/jobs";
import { Explained } from "../components/Explained";
import { JobBar } from "../components/JobBar";
import { DayTabs } from "../features/day/DayTabs";
import { signed } from "../lib/format";

/** What a purchase, or longer hours, would bring in pieces a week. */
export default function WorthPage() {
  const day = useDay();
  const work = useJob(["worth", day.data?.made_at], async () => take(await api.POST("/api/day/worth", { body: { seconds: 3 } })));
  useEffect(() => {
    document.title = t`Is it worth it? · Mean Bead`;
  }, []);
  const found = work.job?.worth?.changes;
  const most = Math.max(1, ...(found ?? []).flatMap((one) => [one.before_per_week, one.after_per_week]));
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Is it worth it?</Trans></h1>
        <DayTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet">
        <Trans>The queue as it is now, again and again for a whole week, planned with and without the change: what the workshop makes then, not what was asked of it.</Trans>
      </p>
      <div className="mt-3">
        {!found && !work.busy && !work.problem && (
          <button type="button" className="btn btn-accent btn-sm" disabled={!day.data || day.data.queued === 0} onClick={work.start}>
            <Trans>Plan the week five times</Trans>
          </button>
        )}
        {day.data?.queued === 0 && <p className="text-sm text-quiet"><Trans>Queue what you print in a usual week first.</Trans></p>}
        <JobBar work={work} what={t`Planning`} />
      </div>
      {found && (
        <ul className="mt-4 divide-y divide-rule">
          {found.map((one) => (
            <li key={one.key} className="grid gap-x-8 gap-y-1 py-3 md:grid-cols-[minmax(0,3fr)_minmax(0,4fr)]">
              <div>
                <h2 className="font-serif text-xl">{one.name}</h2>
                <p className="text-sm text-quiet">{one.says}</p>
              </div>
              <div>
                <p className="text-lg">
                  <Explained how={t`${one.after_per_week} − ${one.before_per_week} pieces finished within the same seven days, planned with the change and without. Less than three in a hundred is what planning itself scatters.`}>
                    <strong className={one.real ? "text-molten" : ""}>{one.real ? t`${signed(one.after_per_week - one.before_per_week, 0)} pieces a week` : t`no more than planning itself scatters`}</strong>
                  </Explained>{" "}
                  <span className="text-sm text-quiet">
                    <Trans>{one.before_per_week} now, {one.after_per_week} with it; {Math.round(one.swap_min_before)} min of changing now, {Math.round(one.swap_min_after)} then</Trans>
                  </span>
                </p>
                <div aria-hidden className="mt-1 space-y-0.5">
                  <div className="h-2 bg-base-content/30" style={{ width: `${(100 * one.before_per_week) / most}%` }} />
                  <div className={`h-2 ${one.real ? "bg-molten" : "bg-base-content/50"}`} style={{ width: `${(100 * one.after_per_week) / most}%` }} />
                </div>
              </div>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
