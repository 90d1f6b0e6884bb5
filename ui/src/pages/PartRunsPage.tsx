import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import { useFaults, useRuns } from "../api/runs";
import { RunList } from "../features/log/RunList";
import { fixed, formatDuration, percent } from "../lib/format";
import { usePartOfPage } from "./PartLayout";

/** What was really printed of one part: its best kept run, real against predicted, and what better recipes have saved. */
export default function PartRunsPage() {
  const part = usePartOfPage();
  const runs = useRuns({ part_id: part.id });
  const faults = useFaults();
  if (runs.isLoadingError) return <p className="py-6 text-error">{runs.error.message}</p>;
  const pages = runs.data?.pages;
  if (pages === undefined) return <p className="py-6 text-quiet"><Trans>Looking through the log …</Trans></p>;
  const rows = pages.flatMap((page) => page.runs);
  const first = pages[0];
  const best = first?.best;
  const { printed } = part;
  return (
    <div className="py-4">
      {rows.length === 0 ? (
        <p className="max-w-2xl text-quiet">
          <Trans>
            It was not printed yet, as far as the log knows. Go to its{" "}
            <Link className="underline" to={`/parts/${part.id}`}>
              bench
            </Link>
            , put the focus into a recipe and press “Print it”: all that it is printed with is kept as it stands, and what came of it is entered at the machine.
          </Trans>
        </p>
      ) : (
        <>
          <p className="max-w-3xl">
            {best && (
              <>
                <Trans>
                  Best kept:{" "}
                  <Link className="underline" to={`/log/${best.id}`}>
                    #{best.id} {best.column_name}
                  </Link>
                  , {formatDuration(best.real_s ?? best.predicted_s ?? 0)}
                  {best.looks != null && t`, looks ${best.looks} of 5`}.
                </Trans>{" "}
              </>
            )}
            {first?.real_over_predicted != null && t`Real times are ${percent(first.real_over_predicted)} of those predicted. `}
            {printed && printed.pieces > 0 && (Math.abs(printed.saved_h) >= 0.05 || Math.abs(printed.saved_g) >= 0.5) && (
              <span title={t`Against every later piece having been printed like the first kept one; predictions against predictions.`}>
                <Trans>
                  Since its first recipe, <Plural value={printed.pieces} one="# piece has" other="# pieces have" /> {printed.saved_h >= 0 ? t`saved` : t`taken`} {fixed(Math.abs(printed.saved_h), 1)} h{printed.saved_h < 0 && t` more`} and{" "}
                  {printed.saved_g >= 0 ? t`saved` : t`taken`} {fixed(Math.abs(printed.saved_g), 0)} g{printed.saved_g < 0 && t` more`}.
                </Trans>
              </span>
            )}
          </p>
          <div className="mt-3">
            <RunList runs={rows} faults={faults.data ?? []} named={false} best={best?.id} />
          </div>
          {runs.hasNextPage && (
            <button type="button" className="btn btn-outline btn-sm mt-3 font-normal" onClick={() => void runs.fetchNextPage()}>
              <Trans>Show more</Trans>
            </button>
          )}
        </>
      )}
    </div>
  );
}
