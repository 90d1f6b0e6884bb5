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
 * job's findings are no longer shown.
 */
export function useJob(about: readonly unknown[], begin: () => Promise<Job>): FollowedJob {
  const queries = useQueryClient();
  const key = JSON.stringify(about);
  const [started, setStarted] = useState<{ key: string; id: number } | null>(null);
  const id = started?.key === key ? started.id : null;
  const starting = useMutation({
    mutationFn: begin,
    onSuccess: (job) => {
      queries.setQueryData(["job", job.id], job);
      setStarted({ key, id: job.id });
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
  return {
    job,
    busy: starting.isPending || isUnderWay(job),
    problem: starting.error?.message ?? following.error?.message ?? (job?.problem ? job.problem : null),
    start: () => starting.mutate(),
    cancel,
  };
}

function isUnderWay(job: Job | undefined): boolean {
  return job?.state === "waiting" || job?.state === "running";
}
