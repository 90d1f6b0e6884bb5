import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, take, type Experiment, type Grid, type Level } from "../api/client";
import { learntKeys, useExperiment, useReadyMade } from "../api/learning";
import { useFigures, useShelf } from "../api/queries";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";
import { GridForm } from "../features/experiment/GridForm";
import { KeepVerdict } from "../features/experiment/KeepVerdict";
import { PlanFace } from "../features/experiment/PlanFace";
import { ResultsFace } from "../features/experiment/ResultsFace";
import { Tiles } from "../features/experiment/Tiles";
import { VerdictFace } from "../features/experiment/VerdictFace";

const FACES = [
  ["grid", t`Grid`],
  ["plan", t`Print it`],
  ["results", t`Results`],
  ["verdict", t`Why`],
] as const;

/** One experiment: its cells, their prints, what came of them, and what that says. */
export default function ExperimentPage() {
  const id = Number(useParams().experimentId);
  const found = useExperiment(id);
  useEffect(() => {
    document.title = t`${found.data?.head.name ?? t`Experiment`} · Mean Bead`;
  }, [found.data?.head.name]);
  if (found.isLoadingError) return <p className="py-6 text-error">{found.error.message}</p>;
  if (found.data === undefined) return <p className="py-10 text-quiet"><Trans>Fetching the experiment …</Trans></p>;
  return <Shown experiment={found.data as Experiment} />;
}

function Shown({ experiment }: { experiment: Experiment }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const navigate = useNavigate();
  const shelf = useShelf();
  const ready = useReadyMade();
  const [asked, setAsked] = useSearchParams();
  const face = FACES.find(([key]) => key === asked.get("face"))?.[0] ?? "grid";
  const { head, cells } = experiment;
  const path = { params: { path: { experiment_id: head.id } } };
  const figures = useFigures(cells.map((cell) => cell.recipe));
  const byCell = new Map(cells.map((cell, place) => [cell.recipe.id, figures[place] ?? { estimate: undefined, sampled: false, pending: true, error: null }]));
  const come = figures.filter((one) => one.estimate !== undefined && !one.sampled && !one.pending).length;
  const known = cells.filter((cell) => cell.recipe.estimate != null).length;
  useEffect(() => {
    // What it says and the plan are made of full figures: they are read anew when more have come.
    if (come > known) void queries.invalidateQueries({ queryKey: learntKeys.experiment(head.id) });
  }, [come, known, queries, head.id]);
  const store = async (grid: Grid) => {
    const now = take(await api.GET("/api/experiments/{experiment_id}", path));
    queries.setQueryData(learntKeys.experiment(head.id), take(await api.PATCH("/api/experiments/{experiment_id}", { ...path, body: { version: now.head.version, grid } })));
    await queries.invalidateQueries({ queryKey: learntKeys.experiments, exact: true });
  };
  const change = useMutation({
    mutationFn: async (grid: Grid) => {
      const before = experiment.grid;
      await store(grid);
      history.push({ label: t`the grid of ${head.name}`, undo: () => store(before), redo: () => store(grid) });
    },
  });
  const rename = async (name: string) => {
    const now = take(await api.GET("/api/experiments/{experiment_id}", path));
    queries.setQueryData(learntKeys.experiment(head.id), take(await api.PATCH("/api/experiments/{experiment_id}", { ...path, body: { version: now.head.version, name } })));
    await queries.invalidateQueries({ queryKey: learntKeys.experiments, exact: true });
  };
  const remove = useMutation({
    mutationFn: async () => take(await api.POST("/api/experiments/{experiment_id}/delete", { ...path, body: { version: head.version } })),
    onSuccess: async () => {
      const back = async () => {
        take(await api.POST("/api/experiments/{experiment_id}/restore", path));
        await queries.invalidateQueries({ queryKey: learntKeys.experiments });
      };
      toast(t`${head.name} was removed. Its runs stay in the log.`, { action: { label: t`Undo`, run: () => void back() } });
      void navigate("/log/experiments");
      await queries.invalidateQueries({ queryKey: learntKeys.experiments, exact: true });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const add = (levels: Record<string, Level>) => change.mutate({ ...experiment.grid, added: [...experiment.grid.added, levels] });
  const same = (one: Record<string, Level>, other: Record<string, Level>) => Object.keys(one).every((key) => one[key] === other[key]);
  const leaveOut = (levels: Record<string, Level>) => {
    const { grid } = experiment;
    // One that was added beside is simply no longer added.
    if (grid.added.some((one) => same(one, levels))) change.mutate({ ...grid, added: grid.added.filter((one) => !same(one, levels)) });
    else change.mutate({ ...grid, left_out: [...grid.left_out, levels] });
  };
  const bringBack = (levels: Record<string, Level>) => change.mutate({ ...experiment.grid, left_out: experiment.grid.left_out.filter((one) => !same(one, levels)) });
  return (
    <div className="py-5">
      <p className="text-sm">
        <Link className="inline-block py-0.5 underline" to="/log/experiments">
          <Trans>Experiments</Trans>
        </Link>
      </p>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <input
          key={head.name}
          aria-label={t`Name of the experiment`}
          className="min-w-64 flex-1 border-b border-transparent bg-transparent font-serif text-3xl hover:border-rule focus:border-molten"
          defaultValue={head.name}
          maxLength={120}
          onBlur={(event) => {
            const name = event.target.value.trim();
            const before = head.name;
            if (name === "" || name === before) return;
            void rename(name)
              .then(() => history.push({ label: t`a name`, undo: () => rename(before), redo: () => rename(name) }))
              .catch((error: unknown) => toast(error instanceof Error ? error.message : t`It could not be done.`, { tone: "error" }));
          }}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
        <button type="button" className="btn btn-ghost btn-xs" disabled={remove.isPending} onClick={() => remove.mutate()}>
          <Trans>Remove</Trans>
        </button>
      </div>
      <p className="text-quiet">
        <Trans>
          <Link className="underline" to={`/parts/${head.part_id}`}>
            {head.part}
          </Link>{" "}
          on {head.machine} with {head.material}: {experiment.factors.map((factor) => factor.label.toLowerCase()).join(" by ")}, {cells.length} cells, {head.printed} printed
        </Trans>
      </p>
      <KeepVerdict experiment={experiment} />
      <div role="tablist" aria-label={t`Faces`} className="mt-4 flex gap-1 border-b border-rule text-sm">
        {FACES.map(([key, name]) => (
          <button
            key={key}
            type="button"
            role="tab"
            aria-selected={face === key}
            tabIndex={face === key ? 0 : -1}
            className={`-mb-px cursor-pointer border-b-2 px-3 py-1 ${face === key ? "border-molten font-semibold" : "border-transparent hover:border-rule"}`}
            onClick={() => setAsked({ face: key }, { replace: true })}
            onKeyDown={(event) => {
              const step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
              if (step === 0) return;
              const next = FACES[(FACES.findIndex(([one]) => one === face) + step + FACES.length) % FACES.length];
              if (next) setAsked({ face: next[0] }, { replace: true });
              (event.currentTarget.parentElement?.children[FACES.findIndex(([one]) => one === next?.[0])] as HTMLElement | undefined)?.focus();
            }}
          >
            {name}
          </button>
        ))}
      </div>
      <div role="tabpanel" aria-label={FACES.find(([key]) => key === face)?.[1]}>
        {face === "grid" && (
          <>
            <Tiles experiment={experiment} figures={byCell} onLeaveOut={leaveOut} onBringBack={bringBack} />
            <p className="mt-2 text-xs text-quiet"><Trans>Bars: minutes and grams of the most that any cell takes; flow of what the hot end melts. {experiment.grid.keep_shell && t`Shells are equal in millimetres. `}Red: over a limit, before anybody prints it.</Trans></p>
            {ready.data && (
              <details className="mt-3">
                <summary className="cursor-pointer text-sm"><Trans>Change levels, what stays equal, what is measured</Trans></summary>
                <div className="mt-2 max-w-3xl">
                  <GridForm key={head.version} grid={experiment.grid} factors={ready.data.factors} shelf={shelf.data} busy={change.isPending} label={t`Change the grid`} problem={change.error?.message ?? null} onMake={(grid) => change.mutate(grid)} />
                </div>
              </details>
            )}
          </>
        )}
        {face === "plan" && <PlanFace experiment={experiment} shelf={shelf.data} />}
        {face === "results" && <ResultsFace experiment={experiment} />}
        {face === "verdict" && <VerdictFace experiment={experiment} onAdd={add} />}
      </div>
    </div>
  );
}
