import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { api, take } from "../api/client";
import { learntKeys, useExperiment } from "../api/learning";
import { useToast } from "../components/Toasts";

/** Two pieces by their numbers, one question: which is better here? Made for a phone beside the pieces. */
export default function BlindPage() {
  const id = Number(useParams().experimentId);
  const queries = useQueryClient();
  const toast = useToast();
  const found = useExperiment(id);
  const spots = found.data?.grid.spots ?? [];
  const [picked, setPicked] = useState<string | null>(null);
  const spot = picked ?? spots[0] ?? "";
  const key = useRef(crypto.randomUUID());
  const [last, setLast] = useState<{ id: number; version: number } | null>(null);
  const path = { params: { path: { experiment_id: id } } };
  useEffect(() => {
    document.title = t`Compare blind · Mean Bead`;
  }, []);
  const pair = useQuery({
    queryKey: ["pair", id, spot],
    queryFn: async () => take(await api.GET("/api/experiments/{experiment_id}/pair", { params: { path: { experiment_id: id }, query: { spot } } })),
    enabled: found.data !== undefined,
    staleTime: Infinity,
    gcTime: 0,
  });
  const said = useMutation({
    mutationFn: async (better: number | null) => take(await api.POST("/api/experiments/{experiment_id}/comparisons", { ...path, body: { key: key.current, numbers: pair.data?.numbers ?? [0, 0], better, spot } })),
    onSuccess: async (made) => {
      key.current = crypto.randomUUID();
      setLast(made);
      // The verdict may come later: the next pair must not wait for it.
      void queries.invalidateQueries({ queryKey: learntKeys.experiments });
      await queries.invalidateQueries({ queryKey: ["pair", id] });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const back = useMutation({
    mutationFn: async () => {
      if (last) take(await api.POST("/api/comparisons/{comparison_id}/delete", { params: { path: { comparison_id: last.id } }, body: { version: last.version } }));
    },
    onSuccess: async () => {
      setLast(null);
      await queries.invalidateQueries({ queryKey: ["pair", id] });
      await queries.invalidateQueries({ queryKey: learntKeys.experiments });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const numbers = pair.data?.numbers;
  const busy = said.isPending || pair.isFetching;
  const { mutate } = said;
  const say = useCallback(
    (better: number | null) => {
      if (!busy && numbers) mutate(better);
    },
    [busy, numbers, mutate],
  );
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "ArrowLeft") say(numbers?.[0] ?? null);
      else if (event.key === "ArrowRight") say(numbers?.[1] ?? null);
      else if (event.key === "ArrowDown") say(null);
      else return;
      event.preventDefault();
    };
    document.addEventListener("keydown", press);
    return () => document.removeEventListener("keydown", press);
  }, [numbers, say]);
  if (found.isLoadingError) return <p className="py-6 text-error">{found.error.message}</p>;
  return (
    <div className="mx-auto max-w-xl py-5 text-center">
      <p className="text-sm">
        <Link className="inline-block py-1 underline" to={`/log/experiments/${id}?face=results`}>
          {found.data?.head.name ?? t`The experiment`}
        </Link>
      </p>
      <h1 className="font-serif text-3xl"><Trans>Which is better{spot && t` at the ${spot}`}?</Trans></h1>
      {spots.length > 1 && (
        <div className="join mt-2" role="group" aria-label={t`Spot`}>
          {spots.map((one) => (
            <button key={one} type="button" aria-pressed={one === spot} className={`btn join-item btn-sm ${one === spot ? "btn-neutral" : "btn-outline"}`} onClick={() => setPicked(one)}>
              {one}
            </button>
          ))}
        </div>
      )}
      {numbers ? (
        <>
          <div className="mt-5 grid grid-cols-2 gap-3">
            {numbers.map((number) => (
              <button key={number} type="button" className="btn btn-outline h-40 font-serif text-6xl" disabled={busy} onClick={() => say(number)}>
                {number}
              </button>
            ))}
          </div>
          <button type="button" className="btn btn-ghost mt-3 w-full" disabled={busy} onClick={() => say(null)}>
            <Trans>No difference that I see</Trans>
          </button>
        </>
      ) : (
        pair.data && <p className="mt-6 text-lg">{pair.data.pieces < 2 ? t`At least two cells have to be printed and entered in the log.` : t`Enough here: every pair was compared often enough.`}</p>
      )}
      <p className="mt-4 text-sm text-quiet">
        <Trans>{pair.data && t`${pair.data.done} compared${spot ? t` at this spot` : ""} so far. `}The numbers stand under the pieces; what they are is told under “Print it”, to whoever does not judge. Keys: left, right, down for none.</Trans>
      </p>
      {last && (
        <button type="button" className="btn btn-ghost btn-sm mt-1" disabled={back.isPending} onClick={() => back.mutate()}>
          <Trans>Take the last one back</Trans>
        </button>
      )}
    </div>
  );
}
