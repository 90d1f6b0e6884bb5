import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { api, take, type Cell, type Experiment } from "../../api/client";
import { learntKeys } from "../../api/learning";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { formatDuration, parseNumber, plain } from "../../lib/format";
import { measureUnit } from "./GridForm";

const HOW: Record<string, string> = {
  squeeze: t`Across at the seam and at right angles, then the same after the same turns or the same force at the same place.`,
  break: t`The force at which it breaks. Safety glasses; many pieces beat one.`,
  thickness: t`At the same place of every piece.`,
  overhang: t`The steepest angle from upright that came out clean.`,
};

/** What came of each cell: minutes, looks, faults, and measurements to be typed in. */
export function ResultsFace({ experiment }: { experiment: Experiment }) {
  const { grid, cells } = experiment;
  const printed = cells.filter((cell) => cell.printed).length;
  return (
    <div className="mt-3">
      <p className="flex flex-wrap items-baseline gap-x-5 gap-y-1 text-sm">
        <Link className={`btn btn-sm ${printed > 1 ? "btn-accent" : "btn-outline pointer-events-none opacity-50"}`} aria-disabled={printed < 2} to={`/log/experiments/${experiment.head.id}/compare`}>
          <Trans>Compare pieces blind</Trans>
        </Link>
        <span className="text-quiet">
          {experiment.comparisons === 0 ? t`Two by two, by numbers that tell nothing; by several people if there are.` : t`${experiment.comparisons} comparisons${experiment.judges.filter(Boolean).length > 0 ? t` by ${experiment.judges.filter(Boolean).join(", ")}` : ""}.`}
        </span>
        <a className="underline" href={`/api/experiments/${experiment.head.id}.csv`}>
          <Trans>CSV</Trans>
        </a>
      </p>
      {grid.measure !== "none" && <p className="mt-1 max-w-3xl text-sm text-quiet"><Trans>{HOW[grid.measure]} The gauge reads to {plain(grid.gauge)} {measureUnit(grid)}.</Trans></p>}
      <ul className="mt-2 divide-y divide-rule border-y border-rule text-sm">
        {cells.map((cell) => (
          <li key={cell.recipe.id} className="grid grid-cols-1 items-baseline gap-x-4 py-1.5 md:grid-cols-[14rem_16rem_minmax(0,1fr)]">
            <span className="font-semibold">{cell.words}</span>
            <span>
              {cell.runs.length === 0 && <span className="text-quiet"><Trans>not printed yet</Trans></span>}
              {cell.runs.map((run) => (
                <Link key={run.id} className="mr-3 underline-offset-4 hover:underline" to={`/log/${run.id}`}>
                  #{run.id} {run.state === "running" ? t`running` : run.real_s != null ? formatDuration(run.real_s) : run.state}
                  {run.looks != null && <span className="text-quiet"><Trans>, looks {run.looks}</Trans></span>}
                  {run.faults.length > 0 && <span className="text-warning">, {run.faults.join(", ").replaceAll("_", " ")}</span>}
                </Link>
              ))}
            </span>
            {grid.measure !== "none" && <Measurements experiment={experiment} cell={cell} />}
          </li>
        ))}
      </ul>
    </div>
  );
}

function Measurements({ experiment, cell }: { experiment: Experiment; cell: Cell }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState<string | null>(null);
  // One key for one entry, so that an answer that got lost can be asked for again.
  const key = useRef(crypto.randomUUID());
  const unit = measureUnit(experiment.grid);
  const squeeze = experiment.grid.measure === "squeeze";
  const read = () => queries.invalidateQueries({ queryKey: learntKeys.experiments });
  const remove = async (id: number, version: number) => {
    const gone = take(await api.POST("/api/measurements/{measurement_id}/delete", { params: { path: { measurement_id: id } }, body: { version } }));
    await read();
    return gone.version;
  };
  const restore = async (id: number) => {
    const back = take(await api.POST("/api/measurements/{measurement_id}/restore", { params: { path: { measurement_id: id } } }));
    await read();
    return back.version;
  };
  const add = useMutation({
    mutationFn: async () => {
      const figures = text.trim().split(/\s*(?:→|->|\s)\s*/).map(parseNumber);
      if (figures.some(Number.isNaN) || figures.length !== (squeeze ? 2 : 1)) throw new Error(squeeze ? t`Type before and after, such as 40.1 38.4.` : t`Type one number.`);
      const [first, second] = figures;
      return take(
        await api.POST("/api/experiments/{experiment_id}/measurements", {
          params: { path: { experiment_id: experiment.head.id } },
          body: { key: key.current, recipe_id: cell.recipe.id, measured: squeeze ? { before: first, after: second } : { value: first } },
        }),
      );
    },
    onSuccess: (made) => {
      key.current = crypto.randomUUID();
      setText("");
      setWrong(null);
      let { version } = made;
      history.push({
        label: t`${plain(made.result)} ${unit} of ${cell.words}`,
        undo: async () => void (version = await remove(made.id, version)),
        redo: async () => void (version = await restore(made.id)),
      });
      // Not waited for: whoever types the next piece must not be held up.
      void read();
    },
    onError: (error) => setWrong(error.message),
  });
  return (
    <form
      className="flex flex-wrap items-baseline gap-x-2 gap-y-1"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      {cell.measured.map((one) => (
        <span key={one.id} className="whitespace-nowrap">
          {plain(Math.round(1000 * one.result) / 1000)}
          <button
            type="button"
            className="btn btn-ghost btn-xs px-1"
            aria-label={t`Take out ${plain(one.result)} of ${cell.words}`}
            onClick={() =>
              void remove(one.id, one.version)
                .then((version) => {
                  let held = version;
                  history.push({ label: t`taking out ${plain(one.result)}`, undo: async () => void (held = await restore(one.id)), redo: async () => void (held = await remove(one.id, held)) });
                })
                .catch((error: unknown) => toast(error instanceof Error ? error.message : t`It could not be done.`, { tone: "error" }))
            }
          >
            ×
          </button>
        </span>
      ))}
      <input className="input input-xs w-32 border-rule" aria-label={t`Measured of ${cell.words}, ${unit}`} placeholder={squeeze ? t`before after` : unit} value={text} onChange={(event) => setText(event.target.value)} />
      <button type="submit" className="btn btn-outline btn-xs font-normal" disabled={text.trim() === ""}>
        <Trans>Add</Trans>
      </button>
      {wrong && <span role="alert" className="text-error">{wrong}</span>}
    </form>
  );
}
