import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Job } from "./client";

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
 * follows it on.
 */
export function useJob(about: readonly unknown[], begin: () => Promise<Job>, kept?: string): FollowedJob {
  const queries = useQueryClient();
  const key = JSON.stringify(about);
  const [started, setStarted] = useState<Started | null>(() => (kept === undefined ? null : heldStart(kept)));
  const id = started?.key === key ? started.id : null;
  const starting = useMutation({
    mutationFn: begin,
    onSuccess: (job) => {
      queries.setQueryData(["job", job.id], job);
      setStarted({ key, id: job.id });
      if (kept !== undefined) hold(kept, { key, id: job.id });
    },
  });
  const following = useQuery({
    queryKey: ["job", id],
    queryFn: async () => take(await api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id ?? 0 } } })),
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
    start: () => starting.mutate(),
    cancel,
  };
}

interface Started {
  key: string;
  id: number;
  held?: boolean;
}

function hold(kept: string, started: Started) {
  try {
    sessionStorage.setItem(`meanbead.job.${kept}`, JSON.stringify(started));
  } catch {
    // the tab keeps nothing: the job goes on all the same
  }
}

function heldStart(kept: string): Started | null {
  try {
    const found = JSON.parse(sessionStorage.getItem(`meanbead.job.${kept}`) ?? "null") as Started | null;
    return typeof found?.id === "number" && typeof found.key === "string" ? { ...found, held: true } : null;
  } catch {
    return null; // damaged, or the tab keeps nothing
  }
}

function isUnderWay(job: Job | undefined): boolean {
  return job?.state === "waiting" || job?.state === "running";
}
