import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { FollowedJob } from "../api/jobs";

/** How far a job is, with the way to stop it; the reason where it failed. */
export function JobBar({ work, what }: { work: FollowedJob; what: string }) {
  const { job, busy, problem } = work;
  if (problem) {
    return (
      <p className="text-sm text-error" role="alert">
        {problem}{" "}
        <button type="button" className="btn btn-ghost btn-xs" onClick={work.start}>
          <Trans>Try again</Trans>
        </button>
      </p>
    );
  }
  if (job?.state === "cancelled") {
    return (
      <p className="text-sm text-quiet" role="status">
        <Trans>Stopped.</Trans>{" "}
        <button type="button" className="btn btn-ghost btn-xs" onClick={work.start}>
          <Trans>Start again</Trans>
        </button>
      </p>
    );
  }
  if (!busy) return null;
  return (
    <p className="flex flex-wrap items-center gap-3 text-sm" role="status">
      <progress className="progress progress-accent w-40" aria-label={what} value={job?.share ?? 0} max={1} />
      <span className="text-quiet">{job?.doing || t`waiting for its turn`}</span>
      <button type="button" className="btn btn-ghost btn-xs" onClick={work.cancel}>
        <Trans>Stop</Trans>
      </button>
    </p>
  );
}
