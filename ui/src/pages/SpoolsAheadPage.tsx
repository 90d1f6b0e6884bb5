import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { useSpoolsAhead } from "../api/day";
import { clock } from "../features/day/board";
import { DayTabs } from "../features/day/DayTabs";
import { Explained } from "../components/Explained";
import { formatGrams, formatMoney } from "../lib/format";

/** Spools with what the plan takes of them; what runs out when, and what has to be bought. */
export default function SpoolsAheadPage() {
  const found = useSpoolsAhead();
  useEffect(() => {
    document.title = t`Spools ahead · Mean Bead`;
  }, []);
  const total = found.data?.shopping.reduce((sum, one) => sum + one.cost, 0) ?? 0;
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Spools ahead</Trans></h1>
        <DayTabs />
      </div>
      {found.isLoadingError && <p className="mt-3 text-error">{found.error.message}</p>}
      {found.data && (
        <div className="mt-3 grid grid-cols-1 gap-x-12 gap-y-6 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
          <section aria-labelledby="spools">
            <h2 id="spools" className="font-serif text-2xl">
              <Trans>On the shelf</Trans>
            </h2>
            <p className="text-sm text-quiet"><Trans>Printing: of what runs now. Held: of what starts within a day, or was put by hand. Planned: all of the plan.</Trans></p>
            <div className="relative overflow-x-auto">
              <table className="mt-1 w-full text-sm">
                <caption className="sr-only"><Trans>Spools</Trans></caption>
                <thead>
                  <tr className="border-b border-base-content/40 text-right text-quiet">
                    <th scope="col" className="py-1 text-left font-normal">
                      <Trans>Spool</Trans>
                    </th>
                    {[t`Left`, t`Printing`, t`Held`, t`Planned`, t`After`, t`Nearly empty`].map((name) => (
                      <th key={name} scope="col" className="px-2 font-normal">
                        {name}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {found.data.spools.map((spool) => (
                    <tr key={spool.id} className="border-b border-rule text-right">
                      <th scope="row" className="py-1.5 text-left font-semibold">
                        {spool.name}
                        <span className="block text-xs font-normal text-quiet">
                          {spool.material}
                          {spool.machine && t`, on ${spool.machine}`}
                        </span>
                        <Bar spool={spool} />
                      </th>
                      <td className="px-2">{formatGrams(spool.left_g)}</td>
                      <td className="px-2">{spool.used_g > 0 ? formatGrams(spool.used_g) : "–"}</td>
                      <td className="px-2">{spool.reserved_g > 0 ? formatGrams(spool.reserved_g) : "–"}</td>
                      <td className="px-2">{spool.planned_g > 0 ? formatGrams(spool.planned_g) : "–"}</td>
                      <td className="px-2">
                        <Explained side="left" how={t`${formatGrams(spool.left_g)} left − ${formatGrams(spool.used_g)} printing − ${formatGrams(spool.planned_g)} planned`}>
                          {formatGrams(spool.after_g)}
                        </Explained>
                      </td>
                      <td className={`px-2 ${spool.nearly_empty_at ? "text-error" : "text-quiet"}`}>{spool.nearly_empty_at ? clock(spool.nearly_empty_at) : t`not yet`}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
            {found.data.spools.length === 0 && <p className="text-sm text-quiet"><Trans>No plan yet, or no spools on the shelf.</Trans></p>}
          </section>
          <section aria-labelledby="shopping">
            <h2 id="shopping" className="font-serif text-2xl">
              <Trans>To buy</Trans>
            </h2>
            {found.data.shopping.length === 0 && <p className="text-sm"><Trans>What is on the shelf is enough for the plan.</Trans></p>}
            <ul className="divide-y divide-rule">
              {found.data.shopping.map((one) => (
                <li key={one.material} className="py-2">
                  <p className="font-serif text-xl">
                    {one.spools} × {one.material}
                  </p>
                  <p className="text-sm">
                    <Trans>{formatGrams(one.grams)} for which no spool is free then: the others are on machines, or hold too little. Needed {clock(one.needed_by)}, {formatMoney(one.cost)}</Trans>
                  </p>
                  <p className="text-sm text-quiet"><Trans>for {one.jobs.join(", ")}</Trans></p>
                </li>
              ))}
            </ul>
            {found.data.shopping.length > 1 && <p className="mt-1 border-t border-base-content/40 pt-1 text-right"><Trans>{formatMoney(total)} in all</Trans></p>}
          </section>
        </div>
      )}
    </div>
  );
}

/** What is left, as a strip: taken by what prints, by what is planned, and what stays. */
function Bar({ spool }: { spool: { left_g: number; used_g: number; planned_g: number } }) {
  const whole = Math.max(1, spool.left_g, 1000);
  const share = (grams: number) => `${(100 * Math.min(grams, whole)) / whole}%`;
  return (
    <span aria-hidden className="mt-0.5 flex h-1.5 w-full max-w-60 overflow-hidden bg-base-300/50">
      <span className="bg-molten" style={{ width: share(spool.used_g) }} />
      <span className="bg-secondary" style={{ width: share(spool.planned_g) }} />
      <span className="bg-base-content/25" style={{ width: share(Math.max(0, spool.left_g - spool.used_g - spool.planned_g)) }} />
    </span>
  );
}
