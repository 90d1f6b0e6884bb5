import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { Link, useParams } from "react-router";
import { useCauses, useFaults, useRun, useSince } from "../api/runs";
import { Causes } from "../features/log/Causes";
import { SinceGood } from "../features/log/SinceGood";

/** From a fault to one cause at a time: the records first, then the recipe. */
export default function CausesPage() {
  const runId = Number(useParams().runId);
  const run = useRun(runId);
  const since = useSince(runId);
  const causes = useCauses(runId);
  const faults = useFaults().data ?? [];
  useEffect(() => {
    document.title = t`What caused it, #${runId} · Mean Bead`;
  }, [runId]);
  if (run.isLoadingError) return <p className="py-10 text-error">{run.error.message}</p>;
  if (run.data === undefined) return <p className="py-10 text-quiet"><Trans>Opening the run …</Trans></p>;
  return (
    <div className="max-w-5xl py-5">
      <p className="text-sm">
        <Link to={`/log/${runId}`} className="underline">
          #{runId} {run.data.name}
        </Link>
        {(run.data.follows_id != null || run.data.followed_by.length > 0) && (
          <>
            {" · "}
            <Link to={`/log/${runId}/chain`} className="underline">
              <Trans>the chain of tries</Trans>
            </Link>
          </>
        )}
      </p>
      <h1 className="font-serif text-3xl">{run.data.faults.length > 0 ? t`What caused it?` : t`What has changed?`}</h1>
      {run.data.faults.length === 0 && (
        <p className="mt-2">
          <Trans>
            No fault is tagged. If there is one,{" "}
            <a className="underline" href={`/run/${runId}`}>
              tag what you see
            </a>
            .
          </Trans>
        </p>
      )}
      <div className="mt-3">{since.data ? <SinceGood since={since.data} /> : <p className="text-quiet">{since.error?.message ?? t`Looking through the records …`}</p>}</div>
      {causes.isLoadingError && <p className="mt-4 text-error">{causes.error.message}</p>}
      {causes.isPending && <p className="mt-4 text-quiet"><Trans>Holding this run against its limits …</Trans></p>}
      {causes.data?.map((found) => (
        <Causes key={found.fault.key} found={found} run={run.data} faults={faults} />
      ))}
    </div>
  );
}
