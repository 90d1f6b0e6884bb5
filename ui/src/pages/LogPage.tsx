import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useEffect, useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { useShelf } from "../api/queries";
import { useFaults, useRates, useRuns, type RunFilter } from "../api/runs";
import { Filters } from "../features/log/Filters";
import { LogTabs } from "../features/log/LogTabs";
import { RunList } from "../features/log/RunList";
import { Explained } from "../components/Explained";
import { fixed, percent } from "../lib/format";

const NUMBERS = ["part_id", "machine_id", "nozzle_id"];
const FIELDS = [...NUMBERS, "plastic", "fault", "state", "since", "until", "search"];

/** All that was really printed. */
export default function LogPage() {
  const [asked, setAsked] = useSearchParams();
  const filter = useMemo(() => Object.fromEntries(FIELDS.flatMap((name) => (asked.get(name) ? [[name, NUMBERS.includes(name) ? Number(asked.get(name)) : asked.get(name)]] : []))) as RunFilter, [asked]);
  const runs = useRuns(filter);
  const faults = useFaults();
  const shelf = useShelf();
  const [picked, setPicked] = useState<number[]>([]);
  useEffect(() => {
    document.title = t`Log · Mean Bead`;
  }, []);
  const change = (part: Partial<RunFilter>) =>
    setAsked(
      (now) => {
        for (const name of Object.keys(part) as (keyof RunFilter)[]) {
          if (part[name] === undefined) now.delete(name);
          else now.set(name, String(part[name]));
        }
        return now;
      },
      { replace: true },
    );
  const first = runs.data?.pages[0];
  const rows = runs.data?.pages.flatMap((page) => page.runs) ?? [];
  const query = asked.toString();
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Log</Trans></h1>
        <LogTabs />
      </div>
      <div className="mt-3 grid gap-x-8 gap-y-4 xl:grid-cols-[minmax(0,1fr)_18rem]">
        <div className="min-w-0">
          <Filters filter={filter} onChange={change} shelf={shelf.data} faults={faults.data ?? []} plastics={first?.plastics ?? []} />
          {runs.isLoadingError && <p className="mt-3 text-error">{runs.error.message}</p>}
          {first && (
            <p className="mt-3 text-sm">
              <strong className="font-semibold">
                <Plural value={first.total} one="# run" other="# runs" />
              </strong>
              <Trans>, {fixed(first.hours, 0)} h printed{first.failed > 0 && t`, ${first.failed} failed`}</Trans>
              {first.real_over_predicted != null && (
                <>
                  <Trans>; real times are</Trans>{" "}
                  <Explained side="bottom" how={t`All real times together over all that was predicted for the same runs when they were started; runs without a real time are left out. Above 100 %, prints took longer.`}>
                    <Trans>{percent(first.real_over_predicted)} of those predicted</Trans>
                  </Explained>
                </>
              )}
              .
              <span className="ml-3 text-quiet">
                <Trans>As a file: <a className="underline" href={`/api/runs.csv?${query}`}>CSV</a>, <a className="underline" href={`/api/runs.json?${query}`}>JSON</a></Trans>
              </span>
              {picked.length > 0 && (
                <Link className="btn btn-outline btn-xs ml-3 font-normal" to={`/log/labels?runs=${picked.join(",")}`}>
                  <Plural value={picked.length} one="Print its label" other="Print # labels" />
                </Link>
              )}
            </p>
          )}
          <div className="mt-2">
            <RunList runs={rows} faults={faults.data ?? []} picked={picked} onPick={(id, on) => setPicked((now) => (on ? [...now, id] : now.filter((one) => one !== id)))} />
          </div>
          {first?.total === 0 && (
            <p className="mt-4 max-w-2xl text-quiet">
              {query ? t`No run is like that.` : t`Nothing is logged yet. Start a run from a recipe on a part’s bench with “Print it”, or bring the table that you have kept so far: `}
              {!query && (
                <Link className="underline" to="/log/import">
                  <Trans>from a CSV file</Trans>
                </Link>
              )}
            </p>
          )}
          {runs.hasNextPage && (
            <button type="button" className="btn btn-outline btn-sm mt-3 font-normal" disabled={runs.isFetchingNextPage} onClick={() => void runs.fetchNextPage()}>
              <Trans>Show more</Trans>
            </button>
          )}
        </div>
        <Rates />
      </div>
    </div>
  );
}

/** How often prints fail on each machine, with how sure that is. */
function Rates() {
  const rates = useRates();
  if (rates.data === undefined) return <aside />;
  const most = Math.max(...rates.data.map((rate) => rate.high), 1e-6);
  return (
    <aside aria-labelledby="rates" className="text-sm">
      <h2 id="rates" className="font-serif text-xl">
        <Trans>How often prints fail</Trans>
      </h2>
      <p className="text-quiet"><Trans>Of a hundred hours printed; nine in ten such intervals hold the true figure. Long prints are weighed with it.</Trans></p>
      <dl className="mt-2 space-y-3">
        {rates.data.map((rate) => (
          <div key={rate.machine_id}>
            <dt className="flex items-baseline gap-2">
              <span className="font-semibold">{rate.machine_name}</span>
              <span className="ml-auto font-serif text-lg leading-none">{fixed(100 * rate.per_hour, 1)}</span>
            </dt>
            <dd>
              <svg viewBox="0 0 200 10" className="mt-1 w-full" role="img" aria-label={t`between ${fixed(100 * rate.low, 1)} and ${fixed(100 * rate.high, 1)}`}>
                <path d="M0 5H200" stroke="var(--rule)" />
                <path d={`M${(200 * rate.low) / most} 5H${(200 * rate.high) / most}`} stroke="var(--quiet)" strokeWidth="5" />
                <path d={`M${(200 * rate.per_hour) / most} 0V10`} stroke="var(--molten)" strokeWidth="2.5" />
              </svg>
              <span className="text-quiet">
                <Trans>{fixed(100 * rate.low, 1)} to {fixed(100 * rate.high, 1)}: {rate.says}.</Trans>
              </span>
            </dd>
          </div>
        ))}
      </dl>
    </aside>
  );
}
