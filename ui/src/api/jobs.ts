import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ProblemError, take, type Job } from "./client";

/** A piece of background work as a page follows it. */
export interface FollowedJob {
  job: Job | undefined;
  /** True while it waits or runs. */
  busy: boolean;
  problem: string | null;
  start: () => void;
  cancel: () => void;
}

/**
 * Start a job, follow it to its end, and stop it. `about` says what it is computed from: when that changes, an older
 * job's findings are no longer shown. With `kept`, a name, the tab remembers the job, and a page that is loaded anew
 * follows it on. Where it was left before the server's answer came, it asks once more: work that was asked for with the
 * same inputs is found, not begun twice.
 */
export function useJob(about: readonly unknown[], begin: () => Promise<Job>, kept?: string): FollowedJob {
  const queries = useQueryClient();
  const key = JSON.stringify(about);
  const [started, setStarted] = useState<Started | null>(() => (kept === undefined ? null : heldStart(kept)));
  const id = started?.key === key ? started.id : null;
  const keep = (what: Started | null) => {
    if (kept !== undefined) hold(kept, what);
  };
  const starting = useMutation<Job, Error, string>({
    mutationFn: begin,
    onMutate: (asked) => keep({ key: asked, id: null }),
    onSuccess: (job, asked) => {
      queries.setQueryData(["job", job.id], job);
      setStarted({ key: asked, id: job.id });
      keep({ key: asked, id: job.id });
    },
    // What the server refused is not asked for again; what never reached it is.
    onError: (error) => {
      if (error instanceof ProblemError && error.isFinal) keep(null);
    },
  });
  const { mutate: start, isIdle } = starting;
  const unanswered = isIdle && started?.key === key && started.id === null;
  useEffect(() => {
    if (unanswered) start(key);
  }, [unanswered, start, key]);
  const following = useQuery({
    queryKey: ["job", id],
    queryFn: async () => {
      // What was found is large: it is sent anew only where it has grown.
      const known = queries.getQueryData<Job>(["job", id]);
      const query = known === undefined ? {} : { seen: known.revision };
      const job = take(await api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id ?? 0 }, query } }));
      return known?.revision === job.revision ? { ...known, state: job.state, share: job.share, doing: job.doing, problem: job.problem } : job;
    },
    enabled: id !== null,
    refetchInterval: (query) => (isUnderWay(query.state.data) ? 300 : false),
    staleTime: 0,
  });
  const cancel = () => {
    if (id === null) return;
    void api
      .POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id: id } } })
      .then(() => queries.invalidateQueries({ queryKey: ["job", id] }));
  };
  const job = id === null ? undefined : following.data;
  // What was remembered may be gone from the workshop: then there is nothing to follow, and nothing is wrong.
  const gone = job === undefined && started?.held === true;
  return {
    job,
    busy: starting.isPending || isUnderWay(job),
    problem: starting.error?.message ?? (gone ? null : following.error?.message) ?? (job?.problem ? job.problem : null),
    start: () => start(key),
    cancel,
  };
}

interface Started {
  key: string;
  /** Null where the page was left before the server had answered. */
  id: number | null;
  /** Read from what the tab remembers, not begun by this page. */
  held?: boolean;
}

function hold(kept: string, started: Started | null) {
  try {
    if (started === null) sessionStorage.removeItem(`meanbead.job.${kept}`);
    else sessionStorage.setItem(`meanbead.job.${kept}`, JSON.stringify(started));
  } catch {
    // the tab keeps nothing: the job goes on all the same
  }
}

function heldStart(kept: string): Started | null {
  try {
    const found = JSON.parse(sessionStorage.getItem(`meanbead.job.${kept}`) ?? "null") as Started | null;
    return typeof found?.key === "string" && (found.id === null || typeof found.id === "number") ? { ...found, held: true } : null;
  } catch {
    return null; // damaged, or the tab keeps nothing
  }
}

function isUnderWay(job: Job | undefined): boolean {
  return job?.state === "waiting" || job?.state === "running";
}
