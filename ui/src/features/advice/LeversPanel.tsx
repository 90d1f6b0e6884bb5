import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import { api, take, type Advice, type Lever, type Part, type RecipeColumn, type TimeDifference } from "../../api/client";
import { useJob } from "../../api/jobs";
import { useExpected } from "../../api/learning";
import { formatDuration, formatDurationDifference, formatGramsDifference, signed } from "../../lib/format";
import { JobBar } from "../../components/JobBar";
import type { SheetActions } from "../sheet/useSheet";
import { LeverButtons } from "./LeverButtons";

type Goal = "minutes" | "grams" | "cost";
const GOALS: readonly Goal[] = ["minutes", "grams", "cost"];
const FEW = 5;

interface LeversPanelProps {
  part: Part;
  column: RecipeColumn;
  actions: SheetActions;
}

/** Every single change worth considering for the column in focus: what it saves, and what it takes. */
export function LeversPanel({ part, column, actions }: LeversPanelProps) {
  const [goal, setGoal] = useState<Goal>("minutes");
  const about = [column.id, column.version, part.version, part.facts.digest, goal];
  const work = useJob(about, async () =>
    take(
      await api.POST("/api/recipes/{recipe_id}/levers", {
        params: { path: { recipe_id: column.id } },
        body: { goal },
      }),
    ),
  );
  const idle = work.job === undefined && !work.busy && work.problem === null;
  const { start } = work;
  const wanted = idle && column.problem == null;
  const key = about.join(":");
  useEffect(() => {
    if (!wanted) return undefined;
    // Someone who is still editing does not want twenty recipes tried at each key.
    const timer = setTimeout(start, 600);
    return () => clearTimeout(timer);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- start is new at each render
  }, [wanted, key]);
  const advice = work.job?.levers;
  return (
    <section aria-label={t`All changes`}>
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <p className="text-sm text-quiet"><Trans>About forty single changes, each computed on this part: what it saves, and what it takes away. By</Trans></p>
        <div className="join" role="group" aria-label={t`Save`}>
          {GOALS.map((one) => (
            <button
              key={one}
              type="button"
              aria-pressed={goal === one}
              className={`btn join-item btn-xs ${goal === one ? "btn-neutral" : "btn-outline"}`}
              onClick={() => setGoal(one)}
            >
              {one === "minutes" ? t`Minutes` : one === "grams" ? t`Grams` : t`Cost`}
            </button>
          ))}
        </div>
      </div>
      <div className="mt-1">
        <JobBar work={work} what={t`Trying every change`} />
      </div>
      {advice && <Levers advice={advice} goal={goal} column={column} actions={actions} busy={work.busy} />}
    </section>
  );
}

interface LeversProps {
  advice: Advice;
  goal: Goal;
  column: RecipeColumn;
  actions: SheetActions;
  busy: boolean;
}

/** What a change saves on this machine, by its runs, with 90 %; empty where no runs tell. */
function spanOf(difference: TimeDifference | null, lever: Lever, pieces: number): string {
  if (difference === null || difference.runs === 0 || lever.pieces !== pieces || Math.abs(lever.time_s) < 1) return "";
  return t`here ${formatDurationDifference(difference.low_s / pieces)} to ${formatDurationDifference(difference.high_s / pieces)}`;
}

function gain(lever: Lever, goal: Goal): number {
  return goal === "minutes" ? lever.time_s : goal === "grams" ? lever.filament_g : lever.cost;
}

/** Whether a lever saves more of what is wanted than the sample may be off by. */
function saves(lever: Lever, goal: Goal, base: Advice["base"]): boolean {
  if (goal === "minutes") return lever.time_s < -Math.max(1, 0.003 * base.piece_time_s);
  if (goal === "grams") return lever.filament_g < -0.003 * base.filament_g;
  return lever.cost < -0.003 * base.expected_cost;
}

function Levers({ advice, goal, column, actions, busy }: LeversProps) {
  const every = advice.together ? [...advice.levers, advice.together] : advice.levers;
  const expected = useExpected(column, every.map((lever) => lever.by_cause), advice.base.by_cause, !busy, every.map((lever) => lever.bound_s * lever.pieces)).data;
  const spans = new Map(every.map((lever, place) => [lever.label, spanOf(expected?.prints[place]?.difference ?? null, lever, advice.base.pieces)]));
  const good = advice.levers.filter((lever) => saves(lever, goal, advice.base));
  const groups = [
    { title: t`Takes nothing away`, list: good.filter((one) => one.breaks.length === 0 && one.takes.length === 0) },
    { title: t`At a price`, list: good.filter((one) => one.breaks.length === 0 && one.takes.length > 0) },
    { title: t`Breaks a limit of what it is for`, list: good.filter((one) => one.breaks.length > 0) },
  ];
  const rest = advice.levers.filter((lever) => !saves(lever, goal, advice.base));
  return (
    <div>
      {advice.together && (
        <div className="my-2 flex flex-wrap items-center gap-x-3 border border-molten bg-molten-wash px-3 py-1.5">
          <strong>{advice.together.label}:</strong>
          <span className="font-serif text-xl leading-none">{formatDurationDifference(advice.together.time_s)}</span>
          {Math.abs(advice.together.filament_g) >= 0.05 && <span>{formatGramsDifference(advice.together.filament_g)}</span>}
          <span className="text-sm text-quiet">
            <Trans>
              to {formatDuration(advice.base.piece_time_s + advice.together.time_s)}
              {advice.base.pieces > 1 && t` a piece`}
              {spans.get(advice.together.label) && t`; ${spans.get(advice.together.label) ?? ""}, from ${expected?.runs ?? 0} runs`}
            </Trans>
          </span>
          <LeverButtons lever={advice.together} column={column} actions={actions} />
        </div>
      )}
      {groups.map(({ title, list }) => (
        <Group key={title} title={title} list={list} goal={goal} column={column} actions={actions} spans={spans} />
      ))}
      {good.length === 0 && !busy && <p className="mt-1"><Trans>Nothing that was tried saves any {goal}: this recipe is at its best here.</Trans></p>}
      {rest.length > 0 && (
        <details className="mt-2 text-sm">
          <summary className="cursor-pointer text-quiet">
            <Trans>{rest.length} other changes: finer, stronger, or no gain in {goal}</Trans>
          </summary>
          <Group title="" list={rest} goal={goal} column={column} actions={actions} spans={spans} all />
        </details>
      )}
      <p className="mt-1 text-xs text-quiet">
        <Trans>
          Each computed by the engine on a sample of layers; ± is how far the sample may be off{expected && expected.runs > 0 ? t`, and “here” what the change really makes with 90 %, ${expected.basis}` : ""}. Strength indices compare
          recipes of this part: they are never a rating of what it carries.
        </Trans>
      </p>
    </div>
  );
}

/** A bound, rounded up: it is no figure to be exact about. */
function roughly(seconds: number): string {
  return formatDuration(seconds < 90 ? Math.ceil(seconds) : 60 * Math.ceil(seconds / 60));
}

interface GroupProps {
  title: string;
  list: Lever[];
  goal: Goal;
  column: RecipeColumn;
  actions: SheetActions;
  spans: ReadonlyMap<string, string>;
  all?: boolean;
}

function Group({ title, list, goal, column, actions, spans, all = false }: GroupProps) {
  const [more, setMore] = useState(all);
  if (list.length === 0) return null;
  const shown = more ? list : list.slice(0, FEW);
  const caption = title || t`Other changes`;
  return (
    <div className="mt-2 overflow-x-auto">
      <table className="w-full min-w-[36rem] table-fixed text-sm">
        <caption className={title ? "pb-0.5 text-left font-semibold" : "sr-only"}>{caption}</caption>
        <thead className="h-0 text-transparent [&_th]:h-0 [&_th]:p-0 [&_th]:leading-0">
          <tr>
            <th scope="col"><Trans>Change</Trans></th>
            <th scope="col" className="w-36"><Trans>Time</Trans></th>
            <th scope="col" className="w-20">{goal === "cost" ? t`Cost` : t`Filament`}</th>
            <th scope="col" className="w-36"><Trans>Apply</Trans></th>
          </tr>
        </thead>
        <tbody>
          {shown.map((lever) => (
            <tr key={lever.label} className="border-t border-rule align-top">
              <th scope="row" className="py-1 pr-3 text-left font-normal">
                {lever.label}
                <span className="text-quiet">
                  {" "}
                  {lever.group === "remedy" ? t`clears: ${lever.why}` : lever.why}
                </span>
                {lever.takes.length > 0 && <span className="block text-warning">{lever.takes.join(" · ")}</span>}
                {lever.breaks.length > 0 && (
                  <span className="block text-error"><Trans>Breaks: {lever.breaks.map((one) => one.sentence).join(" · ")}</Trans></span>
                )}
              </th>
              <td className="whitespace-nowrap py-1 text-right">
                <span className={gain(lever, goal) < 0 && goal === "minutes" ? "font-semibold" : ""}>{formatDurationDifference(lever.time_s)}</span>
                {spans.get(lever.label) && <span className="block text-xs text-quiet">{spans.get(lever.label)}</span>}
                {lever.bound_s >= 1 && !spans.get(lever.label) && <span className="block text-xs text-quiet">± {roughly(lever.bound_s)}</span>}
              </td>
              <td className="whitespace-nowrap py-1 pl-3 text-right">
                {goal === "cost" ? signed(lever.cost, 2) : `${signed(lever.filament_g, 1)}${Math.abs(lever.filament_g) >= 0.05 ? " g" : ""}`}
              </td>
              <td className="whitespace-nowrap py-1 pl-3 text-right">
                <LeverButtons lever={lever} column={column} actions={actions} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {list.length > shown.length && (
        <button type="button" className="btn btn-ghost btn-xs" onClick={() => setMore(true)}>
          <Trans>{list.length - shown.length} more</Trans>
        </button>
      )}
    </div>
  );
}
