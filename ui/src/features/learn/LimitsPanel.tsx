import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, take, type Calibration, type InferredLimits } from "../../api/client";
import { useJob } from "../../api/jobs";
import { limitsChanged } from "../../api/learning";
import { useHistory, type Step } from "../../components/history";
import { JobBar } from "../../components/JobBar";
import { useToast } from "../../components/Toasts";
import { formatDuration, percent, plain } from "../../lib/format";

const CHANGED: Record<string, string> = {
  "acceleration_mm_s2.print": t`acceleration of printing, mm/s²`,
  "acceleration_mm_s2.travel": t`acceleration of travel, mm/s²`,
  "max_acceleration_mm_s2.x": t`most that x accelerates, mm/s²`,
  "max_acceleration_mm_s2.y": t`most that y accelerates, mm/s²`,
  "max_speed_mm_s.e": t`fastest pull, mm/s`,
  "corner.jerk_mm_s.x": t`corner value of x, mm/s`,
  "corner.jerk_mm_s.y": t`corner value of y, mm/s`,
  "corner.deviation_mm": t`corner deviation, mm`,
};

/** Which limits of the machine explain its real times best: asked for, offered as a change, and taken back. */
export function LimitsPanel({ calibration, recipeId }: { calibration: Calibration; recipeId: number | undefined }) {
  const { machine_id, machine_name, runs } = calibration.head;
  const path = { params: { path: { machine_id } } };
  const work = useJob(["limits", machine_id, calibration.machine_version, calibration.points.length], async () => take(await api.POST("/api/machines/{machine_id}/limits", path)));
  const found = work.job?.state === "done" ? work.job.limits : undefined;
  return (
    <section aria-labelledby="limits" className="mt-6">
      <h2 id="limits" className="font-serif text-xl">
        <Trans>What are its limits really?</Trans>
      </h2>
      {found == null && (
        <p className="mt-1 text-sm">
          <button type="button" className="btn btn-outline btn-sm mr-3 font-normal" disabled={work.busy || runs < 4} onClick={work.start}>
            <Trans>Find them from its runs</Trans>
          </button>
          <span className="text-quiet">
            {runs < 4 ? t`It takes at least four timed runs of the machine as it is now.` : t`The engine runs what was printed with other accelerations, corner values and pull speeds, and looks which explain the real times.`}
          </span>
        </p>
      )}
      <div className="mt-1">
        <JobBar work={work} what={t`Finding limits`} />
      </div>
      {found && <Found found={found} calibration={calibration} onDone={work.start} />}
      {((found && found.untold.includes("acceleration")) || runs < 4) && recipeId !== undefined && <TestPrints machineId={machine_id} machineName={machine_name} recipeId={recipeId} />}
    </section>
  );
}

function Found({ found, calibration, onDone }: { found: InferredLimits; calibration: Calibration; onDone: () => void }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const { machine_id, machine_name } = calibration.head;
  const path = { params: { path: { machine_id } } };
  const write = async (change: Record<string, number | null>) => {
    const now = take(await api.GET("/api/machines/{machine_id}/calibration", path));
    const { before } = take(await api.POST("/api/machines/{machine_id}/limits/apply", { ...path, body: { version: now.machine_version, change } }));
    // Runs that were predicted with the other limits are computed anew, so that they count on.
    await api.POST("/api/machines/{machine_id}/again", path);
    await limitsChanged(queries);
    return before;
  };
  const apply = useMutation({
    mutationFn: async () => {
      const before = await write(found.change);
      const step: Step = {
        label: t`limits of ${machine_name}`,
        undo: () => write(before).then(() => undefined),
        redo: () => write(found.change).then(() => undefined),
      };
      history.push(step);
      toast(t`${machine_name} is described with its limits as they seem to be.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <div className="mt-2 text-sm">
      <p className="max-w-2xl text-base">{found.says}</p>
      <table className="mt-2 w-full max-w-xl">
        <caption className="sr-only"><Trans>Limits as described and as inferred from {found.runs} runs</Trans></caption>
        <thead className="text-left text-quiet">
          <tr>
            <th scope="col" className="py-0.5 font-normal"><Trans>Limit</Trans></th>
            <th scope="col" className="text-right font-normal"><Trans>described</Trans></th>
            <th scope="col" className="text-right font-normal"><Trans>behaves like</Trans></th>
            <th scope="col" className="pl-4 font-normal">90 %</th>
          </tr>
        </thead>
        <tbody>
          {found.limits.map((limit) => (
            <tr key={limit.name} className="border-t border-rule">
              <th scope="row" className="py-1 text-left font-normal">{limit.label}</th>
              <td className="text-right">
                {plain(limit.described)} {limit.unit}
              </td>
              <td className={`text-right ${limit.told ? "font-semibold text-molten" : "text-quiet"}`}>{plain(limit.value)}</td>
              <td className="pl-4 text-quiet">
                <Trans>
                  {plain(limit.low)} to {plain(limit.high)}
                  {!limit.told && (found.untold.includes(limit.name) ? t`: not told by these runs` : t`: as described`)}
                </Trans>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.offered ? (
        <p className="mt-2 flex flex-wrap items-center gap-3">
          <button type="button" className="btn btn-accent btn-sm" disabled={apply.isPending} onClick={() => apply.mutate()}>
            <Trans>Describe {machine_name} so</Trans>
          </button>
          <span className="text-quiet">
            <Trans>On the shelf: {Object.entries(found.change).map(([key, value]) => `${CHANGED[key] ?? key}: ${plain(value)}`).join("; ")}. Its firmware stays as it is; raising the real limit is another matter, and may cost looks.</Trans>
          </span>
        </p>
      ) : (
        <p className="mt-2 text-quiet">
          <Trans>Nothing to change.</Trans>{" "}
          <button type="button" className="btn btn-ghost btn-xs" onClick={onDone}>
            <Trans>Look again</Trans>
          </button>
        </p>
      )}
      <p className="mt-1 text-xs text-quiet">
        <Trans>From {found.runs} runs. They typically differ from what is computed by {percent(found.off_before)} with the limits as described, by {(100 * found.off_after).toFixed(1)} % with these.</Trans>
      </p>
    </div>
  );
}

function TestPrints({ machineId, machineName, recipeId }: { machineId: number; machineName: string; recipeId: number }) {
  const path = { params: { path: { machine_id: machineId } } };
  const queries = useQueryClient();
  const navigate = useNavigate();
  const toast = useToast();
  const work = useJob(["test-prints", machineId, recipeId], async () => take(await api.POST("/api/machines/{machine_id}/test-prints", { ...path, body: { recipe_id: recipeId } })));
  const found = work.job?.state === "done" ? work.job.test_prints : undefined;
  const add = useMutation({
    mutationFn: async () => take(await api.POST("/api/machines/{machine_id}/test-prints/add", { ...path, body: { names: found?.prints.map((one) => one.name) ?? [] } })),
    onSuccess: async ({ part_ids }) => {
      await queries.invalidateQueries({ queryKey: ["parts"] });
      void navigate(`/parts/${part_ids[0]}`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <div className="mt-3 border-l-2 border-rule pl-3 text-sm">
      {found == null && (
        <p>
          <button type="button" className="btn btn-outline btn-xs mr-2 font-normal" disabled={work.busy} onClick={work.start}>
            <Trans>Which two short prints would tell?</Trans>
          </button>
          <span className="text-quiet"><Trans>The engine looks for the pair whose times say most about {machineName}’s acceleration.</Trans></span>
        </p>
      )}
      <JobBar work={work} what={t`Looking for test prints`} />
      {found && (
        <>
          <p>{found.says}</p>
          <ul className="mt-1">
            {found.prints.map((one) => (
              <li key={one.name}>
                <Trans><strong>{one.name}</strong>, {one.kind}: {formatDuration(one.print_time_s)}, and {one.percent_a_tenth.toFixed(1)} % longer for each tenth that acceleration is lower</Trans>
              </li>
            ))}
          </ul>
          <button type="button" className="btn btn-outline btn-xs mt-1 font-normal" disabled={add.isPending} onClick={() => add.mutate()}>
            <Trans>Add both as parts</Trans>
          </button>
        </>
      )}
    </div>
  );
}
