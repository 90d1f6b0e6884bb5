import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useState, type ReactNode } from "react";
import { api, type Estimate, type RecipeColumn, type Shelf, type TimeDifference } from "../../api/client";
import { progressKey, type FiguresProgress } from "../../api/queries";
import { moveOf } from "../../lib/keys";
import { MARKED } from "./sheetTypes";
import { differenceSpan, type ResultRow } from "./results";
import { workingOf, workingText } from "./working";

export interface ColumnState {
  column: RecipeColumn;
  estimate: Estimate | undefined;
  /** True while the estimate shown is that of a sample of layers. */
  sampled: boolean;
  /** True while the estimate shown is an older one. */
  pending: boolean;
  error: string | null;
}

interface ResultCellProps {
  state: ColumnState;
  row: ResultRow;
  shelf: Shelf | undefined;
  first: ColumnState | undefined;
  /** What the column takes longer than the first, with its interval, where that is known. */
  apart?: TimeDifference | null;
  tabIndex: number;
  marked: boolean;
  onFocus: () => void;
  onMove: (rows: number, columns: number, extend?: boolean) => void;
  register: (element: HTMLElement | null) => void;
}

/** A figure of a column, with its difference from the first column; while it is computed, how far that is. */
export function ResultCell({ state, row, shelf, first, apart, tabIndex, marked, onFocus, onMove, register }: ResultCellProps) {
  const { estimate, pending, sampled, column } = state;
  // Worked out when a pointer comes, for a sheet has hundreds of figures.
  const [story, setStory] = useState<string>();
  let content: ReactNode;
  if (state.error !== null && estimate === undefined) {
    content = row.key === "print_time" ? <span className="text-sm text-error">{state.error}</span> : "–";
  } else if (estimate === undefined) {
    content = <span className="text-sm text-quiet">{row.main ? t`computing …` : "…"}</span>;
  } else {
    const isFirst = first?.column.id === column.id;
    const difference =
      row.key === "flow" || (!isFirst && first?.estimate) ? row.difference(estimate, first?.estimate ?? estimate) : "";
    content = (
      <Fragment>
        <span className={row.main ? "font-serif text-2xl leading-none" : ""}>
          {sampled && <span title={t`From a sample of layers; the full figure follows.`}>≈ </span>}
          {row.show(estimate)}
        </span>
        {difference && !sampled && <span className="ml-auto whitespace-pre text-sm text-molten">{difference}</span>}
        {row.key === "expected" && apart && !sampled && (
          <span className="ml-auto whitespace-nowrap text-xs text-molten" title={t`Longer or shorter than the first column on average over many prints, with 90 %: what both are off by falls out.`}>
            {differenceSpan(apart)}
          </span>
        )}
        {row.note && <span className="w-full text-xs text-quiet">{row.note(estimate)}</span>}
      </Fragment>
    );
  }
  return (
    <div
      ref={register}
      tabIndex={tabIndex}
      data-testid={`${row.key}:${column.id}`}
      aria-busy={pending}
      data-figure={`${column.version}:${!pending ? "full" : sampled ? "sample" : "old"}`}
      aria-label={`${row.label}, ${column.name}: ${estimate ? row.show(estimate) : t`not known yet`}`}
      role="note"
      className={`relative flex flex-wrap items-baseline gap-x-2 pl-[17px] pr-2 ${row.main ? "py-1" : "py-0.5"} ${pending && !sampled ? "stale" : ""} ${marked ? MARKED : ""}`}
      onFocus={onFocus}
      onKeyDown={(event) => {
        const move = moveOf(event);
        if (move === null) return;
        event.preventDefault();
        onMove(move.rows, move.columns, move.extend);
      }}
      title={story}
      onPointerEnter={() => setStory(estimate && workingText(row.explain(estimate, column), workingOf(row.key, estimate, column, shelf)))}
    >
      {content}
      {row.key === "print_time" && (pending || state.error !== null) && (
        <FiguresNote column={column} error={state.error} sampled={sampled} />
      )}
    </div>
  );
}

/** How far the full figures are, with the way to stop; or why they did not come, with the way to ask again. */
function FiguresNote({ column, error, sampled }: { column: RecipeColumn; error: string | null; sampled: boolean }) {
  const queries = useQueryClient();
  const progress = useQuery<FiguresProgress | null>({
    queryKey: progressKey(column.id),
    queryFn: () => null,
    enabled: false,
    initialData: null,
  }).data;
  if (error !== null && sampled) {
    return (
      <span className="w-full text-xs">
        {error}{" "}
        <button
          type="button"
          className="btn btn-ghost btn-xs"
          onClick={() => void queries.invalidateQueries({ queryKey: ["estimate", column.id] })}
        >
          <Trans>Ask again</Trans>
        </button>
      </span>
    );
  }
  if (!progress) return sampled ? <span className="ml-auto text-xs text-quiet"><Trans>a sample; all layers follow</Trans></span> : null;
  // It lies over the cell's edge, so that nothing moves when it comes and goes.
  return (
    <span className="ml-auto flex items-center gap-1 text-xs text-quiet" title={progress.doing}>
      <progress
        className="progress progress-accent absolute inset-x-0 bottom-0 h-1"
        aria-label={t`Computing ${column.name}: ${progress.doing}`}
        value={progress.share}
        max={1}
      />
      <button
        type="button"
        className="btn btn-ghost btn-xs px-1"
        onClick={() => void api.POST("/api/jobs/{job_id}/cancel", { params: { path: { job_id: progress.jobId } } })}
      >
        <Trans>Stop</Trans>
      </button>
    </span>
  );
}
