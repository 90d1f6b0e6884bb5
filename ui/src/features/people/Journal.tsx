import { Trans } from "@lingui/react/macro";
import { useInfiniteQuery } from "@tanstack/react-query";
import { accountKeys } from "../../api/account";
import { api, take } from "../../api/client";
import { moment } from "../../lib/format";

/** Who did what, when, from where; kept for a year. */
export function Journal() {
  const journal = useInfiniteQuery({
    queryKey: accountKeys.audit,
    queryFn: async ({ pageParam }) => take(await api.GET("/api/audit", { params: { query: pageParam === 0 ? {} : { before: pageParam } } })).lines,
    initialPageParam: 0,
    getNextPageParam: (page) => (page.length < 100 ? undefined : page[page.length - 1]?.id),
    refetchOnMount: "always",
  });
  const lines = journal.data?.pages.flat() ?? [];
  return (
    <section aria-labelledby="journal" className="mt-8">
      <h2 id="journal" className="font-serif text-2xl">
        <Trans>Journal</Trans>
      </h2>
      <p className="text-sm text-quiet"><Trans>Sign-ins, people and every change: who, what, when, from where. No content, no secrets. Kept for a year.</Trans></p>
      <div className="mt-2 max-h-96 overflow-auto" tabIndex={0} role="region" aria-labelledby="journal">
        <table className="w-full text-sm">
          <thead className="sticky top-0 bg-base-100 text-left text-quiet">
            <tr>
              <th className="py-1 pr-4 font-normal"><Trans>When</Trans></th>
              <th className="pr-4 font-normal"><Trans>Who</Trans></th>
              <th className="pr-4 font-normal"><Trans>What</Trans></th>
              <th className="pr-4 font-normal"><Trans>About</Trans></th>
              <th className="font-normal"><Trans>From</Trans></th>
            </tr>
          </thead>
          <tbody>
            {lines.map((line) => (
              <tr key={line.id} className="border-t border-base-300 align-top">
                <td className="whitespace-nowrap py-1 pr-4 tabular-nums">{moment(line.at)}</td>
                <td className="py-1 pr-4">{line.who}</td>
                <td className="py-1 pr-4">{line.what}</td>
                <td className="py-1 pr-4 text-quiet">{line.about}</td>
                <td className="whitespace-nowrap py-1 text-quiet">{line.address}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {journal.hasNextPage && (
        <button type="button" className="btn btn-outline btn-xs mt-2 font-normal" onClick={() => void journal.fetchNextPage()} disabled={journal.isFetchingNextPage}>
          <Trans>Older ones</Trans>
        </button>
      )}
    </section>
  );
}
