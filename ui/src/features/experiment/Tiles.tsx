import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import type { Cell, Experiment, Interval } from "../../api/client";
import type { Figures } from "../../api/queries";
import { fixed, formatDuration, formatGrams, plain } from "../../lib/format";

interface TilesProps {
  experiment: Experiment;
  figures: ReadonlyMap<number, Figures>;
  /** Take a cell out of the grid, or bring one back. */
  onLeaveOut: (levels: Cell["levels"]) => void;
  onBringBack: (levels: Cell["levels"]) => void;
}

/** All cells as small pictures of minutes, grams and flow: two factors as a square of them, others one after the other. */
export function Tiles({ experiment, figures, onLeaveOut, onBringBack }: TilesProps) {
  const { cells, factors, levels, grid } = experiment;
  const most = {
    seconds: Math.max(...cells.map((cell) => secondsOf(cell, figures) ?? 0), 1),
    grams: Math.max(...cells.map((cell) => figures.get(cell.recipe.id)?.estimate?.filament_g ?? 0), 1),
  };
  const [rows, columns] = grid.factors;
  const tile = (cell: Cell) => <Tile key={cell.recipe.id} cell={cell} figures={figures.get(cell.recipe.id)} most={most} fastest={experiment.verdict?.fastest === cells.indexOf(cell)} named={!(grid.factors.length === 2)} onLeaveOut={cells.length > 1 ? onLeaveOut : undefined} />;
  if (grid.factors.length !== 2 || rows === undefined || columns === undefined) {
    return (
      <>
        <div className="mt-3 grid grid-cols-2 gap-2 sm:grid-cols-3 lg:grid-cols-6">{cells.map(tile)}</div>
        {grid.left_out.length > 0 && (
          <p className="mt-1 text-sm">
            <Trans>Left out:</Trans>{" "}
            {grid.left_out.map((levels) => (
              <button key={JSON.stringify(levels)} type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => onBringBack(levels)}>
                <Trans>{Object.values(levels).map((level) => (typeof level === "number" ? plain(level) : String(level))).join(", ")}: bring back</Trans>
              </button>
            ))}
          </p>
        )}
      </>
    );
  }
  const at = (row: unknown, column: unknown) => cells.find((cell) => cell.levels[rows.key] === row && cell.levels[columns.key] === column);
  const beside = cells.filter((cell) => !rows.levels.includes(cell.levels[rows.key] as never) || !columns.levels.includes(cell.levels[columns.key] as never));
  return (
    <>
      <div className="mt-3 overflow-x-auto">
        <table className="border-separate border-spacing-1 text-sm">
          <caption className="sr-only">
            <Trans>{factors[0]?.label} down, {factors[1]?.label} across</Trans>
          </caption>
          <thead>
            <tr>
              <td />
              {levels[columns.key]?.map((words) => (
                <th key={words} scope="col" className="px-2 text-left font-semibold">
                  {words}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.levels.map((row, place) => (
              <tr key={String(row)}>
                <th scope="row" className="pr-2 text-left align-top font-semibold">
                  {levels[rows.key]?.[place]}
                </th>
                {columns.levels.map((column) => {
                  const cell = at(row, column);
                  return (
                    <td key={String(column)} className="min-w-36 p-0 align-top">
                      {cell ? (
                        tile(cell)
                      ) : (
                        <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => onBringBack({ [rows.key]: row, [columns.key]: column })}>
                          <Trans>left out: bring back</Trans>
                        </button>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {beside.length > 0 && (
        <div className="mt-2">
          <h3 className="text-sm font-semibold"><Trans>Added beside</Trans></h3>
          <div className="grid grid-cols-2 gap-2 sm:grid-cols-3 lg:grid-cols-6">
            {beside.map((cell) => (
              <Tile key={cell.recipe.id} cell={cell} figures={figures.get(cell.recipe.id)} most={most} fastest={false} named onLeaveOut={onLeaveOut} />
            ))}
          </div>
        </div>
      )}
    </>
  );
}

/** A cell's real time where there is one, else what is expected. */
export function secondsOf(cell: Cell, figures: ReadonlyMap<number, Figures>): number | undefined {
  const real = cell.runs.flatMap((run) => run.real_s ?? []);
  if (real.length > 0) return real.reduce((sum, one) => sum + one, 0) / real.length;
  const estimate = figures.get(cell.recipe.id)?.estimate;
  return estimate === undefined ? undefined : ((estimate.interval as Interval).expected_s ?? estimate.print_time_s);
}

interface TileProps {
  cell: Cell;
  figures: Figures | undefined;
  most: { seconds: number; grams: number };
  fastest: boolean;
  named: boolean;
  onLeaveOut: ((levels: Cell["levels"]) => void) | undefined;
}

function Tile({ cell, figures, most, fastest, named, onLeaveOut }: TileProps) {
  const estimate = figures?.estimate;
  const seconds = secondsOf(cell, new Map(figures ? [[cell.recipe.id, figures]] : []));
  const real = cell.runs.some((run) => run.real_s != null);
  const flow = estimate === undefined ? 0 : estimate.peak_flow_mm3_s / estimate.melt_ceiling_mm3_s;
  return (
    <div className={`h-full border px-2 py-1.5 text-sm ${cell.marks.length > 0 ? "border-error" : fastest ? "border-molten bg-molten-wash" : "border-rule"}`} data-testid={`cell:${cell.recipe.id}`}>
      {named && <p className="font-semibold">{cell.words}</p>}
      {seconds === undefined ? (
        <p className="text-quiet">{cell.recipe.problem ? t`cannot be` : (figures?.error ?? t`computing …`)}</p>
      ) : (
        <>
          <Bar words={formatDuration(seconds)} share={seconds / most.seconds} tone="var(--molten)" note={real ? t`real` : ""} />
          {estimate && <Bar words={formatGrams(estimate.filament_g)} share={estimate.filament_g / most.grams} tone="var(--quiet)" note="" />}
          {estimate && <Bar words={`${fixed(estimate.peak_flow_mm3_s, 1)} mm³/s`} share={flow} tone={flow > 0.995 ? "var(--color-error)" : "var(--color-info)"} note={t`${Math.round(100 * flow)} % of what melts`} limit />}
        </>
      )}
      {cell.marks.map((mark) => (
        <p key={mark} className="text-xs text-error">
          {mark}
        </p>
      ))}
      {cell.risks.map((risk) => (
        <p key={risk} className="text-xs text-warning">
          {risk}
        </p>
      ))}
      <p className="text-xs text-quiet">
        {fastest && <span className="font-semibold text-molten"><Trans>fastest that nobody faulted</Trans> </span>}
        {cell.faulted && <span className="font-semibold text-warning"><Trans>faulted</Trans> </span>}
        {cell.runs.map((run) => (
          <Link key={run.id} className="mr-1 underline" to={`/log/${run.id}`}>
            #{run.id}
          </Link>
        ))}
        {cell.runs.length === 0 && onLeaveOut && (
          <button type="button" className="btn btn-ghost btn-xs px-1 font-normal" aria-label={t`Leave out ${cell.words}`} onClick={() => onLeaveOut(cell.levels)}>
            <Trans>leave out</Trans>
          </button>
        )}
      </p>
    </div>
  );
}

interface BarProps {
  words: string;
  share: number;
  tone: string;
  note: string;
  /** Whether the whole width is a limit. */
  limit?: boolean;
}

function Bar({ words, share, tone, note, limit = false }: BarProps) {
  return (
    <p className="leading-tight" title={note}>
      {words} {note === t`real` && <span className="text-xs text-molten"><Trans>real</Trans></span>}
      <svg viewBox="0 0 100 4" preserveAspectRatio="none" className="block h-1 w-full" aria-hidden>
        <path d="M0 2H100" stroke="var(--rule)" strokeWidth="4" />
        <path d={`M0 2H${Math.min(100, 100 * share)}`} stroke={tone} strokeWidth="4" />
        {limit && <path d="M99.4 0V4" stroke="currentColor" strokeWidth="1.2" />}
      </svg>
    </p>
  );
}
