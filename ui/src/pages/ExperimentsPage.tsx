import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, take, type ExperimentHead, type Grid, type ReadyMade } from "../api/client";
import { learntKeys, useExperiments, useReadyMade } from "../api/learning";
import { columnsQuery, usePartNames, useShelf } from "../api/queries";
import { GridForm, USUAL_GRID } from "../features/experiment/GridForm";
import { LogTabs } from "../features/log/LogTabs";

/** Grids of test prints that end in a decision: those that were made, and the next one. */
export default function ExperimentsPage() {
  const experiments = useExperiments();
  useEffect(() => {
    document.title = t`Experiments · Mean Bead`;
  }, []);
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Experiments</Trans></h1>
        <LogTabs />
      </div>
      <p className="mt-1 max-w-3xl text-quiet"><Trans>A few settings, a few levels, every piece printed and compared without knowing which is which: the outcome is a sentence that stays.</Trans></p>
      {experiments.isLoadingError && <p className="mt-3 text-error">{experiments.error.message}</p>}
      <div className="mt-3 grid grid-cols-1 gap-x-10 gap-y-6 lg:grid-cols-[minmax(0,5fr)_minmax(0,6fr)]">
        {experiments.data && <Made experiments={experiments.data} />}
        <Begin />
      </div>
    </div>
  );
}

function Made({ experiments }: { experiments: readonly ExperimentHead[] }) {
  return (
    <section aria-labelledby="made">
      <h2 id="made" className="font-serif text-2xl">
        <Trans>Made so far</Trans>
      </h2>
      {experiments.length === 0 && <p className="mt-1 text-sm text-quiet"><Trans>None yet.</Trans></p>}
      <ul className="divide-y divide-rule">
        {experiments.map((one) => (
          <li key={one.id} className="relative py-2 hover:bg-base-200">
            <Link className="font-semibold after:absolute after:inset-0 hover:underline" to={`/log/experiments/${one.id}`}>
              {one.name}
            </Link>{" "}
            <span className="text-sm text-quiet">
              <Trans>{one.part} on {one.machine}, {one.printed} of {one.cells} printed</Trans>
            </span>
            {one.kept && <p className="max-w-xl font-serif">{one.kept.sentence}</p>}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What to ask, of which part; a ready-made grid to change, or one's own. */
function Begin() {
  const ready = useReadyMade();
  const parts = usePartNames();
  const shelf = useShelf();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [asked] = useSearchParams();
  const [chosen, setChosen] = useState<ReadyMade | null>(null);
  const [part, setPart] = useState<number | undefined>(Number(asked.get("part")) || undefined);
  const partId = part ?? parts.data?.[0]?.id;
  const columns = useQuery({ ...columnsQuery(partId ?? 0), enabled: partId !== undefined });
  const usable = (columns.data ?? []).filter((one) => one.gcode == null);
  const [column, setColumn] = useState<number | undefined>(Number(asked.get("column")) || undefined);
  const recipe = usable.find((one) => one.id === column) ?? usable[0];
  const make = useMutation({
    mutationFn: async (grid: Grid) =>
      take(await api.POST("/api/experiments", { body: { name: chosen?.name ?? t`A grid`, recipe_id: recipe?.id ?? 0, grid } })),
    onSuccess: async (made) => {
      queries.setQueryData(learntKeys.experiment(made.head.id), made);
      await queries.invalidateQueries({ queryKey: learntKeys.experiments });
      void navigate(`/log/experiments/${made.head.id}`);
    },
  });
  return (
    <section aria-labelledby="begin" className="min-w-0">
      <h2 id="begin" className="font-serif text-2xl">
        <Trans>Begin one</Trans>
      </h2>
      <div className="mt-1 flex flex-wrap gap-2 text-sm">
        {ready.data?.ready.map((one) => (
          <button key={one.key} type="button" aria-pressed={chosen?.key === one.key} className={`btn btn-xs font-normal ${chosen?.key === one.key ? "btn-neutral" : "btn-outline"}`} onClick={() => setChosen(one as ReadyMade)}>
            {one.name}
          </button>
        ))}
        <button type="button" aria-pressed={chosen === null} className={`btn btn-xs font-normal ${chosen === null ? "btn-neutral" : "btn-outline"}`} onClick={() => setChosen(null)}>
          <Trans>Your own</Trans>
        </button>
      </div>
      {chosen && (
        <div className="mt-2 text-sm">
          <p className="font-serif text-lg">{chosen.question}</p>
          <p>
            {chosen.part} {chosen.how} {chosen.caution && <strong className="text-warning">{chosen.caution}</strong>}
          </p>
        </div>
      )}
      <div className="mt-3 flex flex-wrap gap-3 text-sm">
        <label className="flex flex-col text-quiet">
          <Trans>Part</Trans>
          <select
            className="select select-sm w-52 border-rule text-base-content"
            value={partId ?? ""}
            onChange={(event) => {
              setPart(Number(event.target.value));
              setColumn(undefined);
            }}
          >
            {parts.data?.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <label className="flex flex-col text-quiet">
          <Trans>Starting from</Trans>
          <select className="select select-sm w-52 border-rule text-base-content" value={recipe?.id ?? ""} onChange={(event) => setColumn(Number(event.target.value))}>
            {usable.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
      </div>
      <div className="mt-3">
        {ready.data && (
          <GridForm
            key={chosen?.key ?? "own"}
            grid={(chosen?.grid) ?? USUAL_GRID}
            factors={ready.data.factors}
            shelf={shelf.data}
            busy={make.isPending || recipe === undefined}
            label={t`Make its cells`}
            problem={make.error?.message ?? null}
            onMake={(grid) => make.mutate(grid)}
          />
        )}
      </div>
    </section>
  );
}
