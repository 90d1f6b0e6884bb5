import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { Lever, RecipeColumn } from "../../api/client";
import { formatDuration, formatGramsDifference, formatSaving } from "../../lib/format";
import type { SheetActions } from "../sheet/useSheet";
import { LeverButtons } from "./LeverButtons";
import type { useNextMoves } from "./useNextMoves";

interface NextMovesProps {
  column: RecipeColumn;
  actions: SheetActions;
  /** The figures are those of this version. */
  ready: boolean;
  answer: ReturnType<typeof useNextMoves>;
  onAll: () => void;
}

/** The three single changes that save most in the column in focus, each one press away; found while one looks. */
export function NextMoves({ column, actions, ready, answer, onAll }: NextMovesProps) {
  const moves = answer.data?.moves;
  const fresh = ready && moves !== undefined && !answer.isPlaceholderData;
  const looking = moves === undefined || !fresh || answer.data?.done === false;
  return (
    <section aria-labelledby="next-title">
      <h2 id="next-title" className="sr-only">
        <Trans>What to change next in {column.name}</Trans>
      </h2>
      {answer.isError ? (
        <p className="text-sm text-error" role="alert">
          {answer.error.message}{" "}
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => void answer.refetch()}>
            <Trans>Try again</Trans>
          </button>
        </p>
      ) : (
        <div aria-busy={looking} className={fresh ? "" : "stale"}>
          {moves?.together && <Together lever={moves.together} column={column} actions={actions} base_s={moves.base.piece_time_s} />}
          <ol className="divide-y divide-rule" aria-label={t`The changes that save most`}>
            {moves?.best.map((lever) => (
              <Move key={lever.label} lever={lever} pieces={moves.base.pieces} column={column} actions={actions} usable={fresh} />
            ))}
          </ol>
          {fresh && !looking && moves.best.length === 0 && (
            <p className="text-sm">
              <Trans>None of {moves.of} changes saves time here within its limits: this recipe is at its best on this machine.</Trans>
            </p>
          )}
        </div>
      )}
      <p className="flex min-h-7 items-center gap-2 text-xs text-quiet">
        {looking && !answer.isError ? (
          <span>{moves === undefined || !fresh ? t`Looking for what saves most …` : t`Best so far: ${moves.tried} of ${moves.of} tried`}</span>
        ) : (
          moves && (
            <span>
              <Trans>{moves.of} changes tried here{moves.others > 0 && t`; ${moves.others} more save time without a new risk`}.</Trans>
            </span>
          )
        )}
        <button type="button" className="btn btn-ghost btn-xs ml-auto font-normal underline" onClick={onAll} title={t`All changes, by minutes, grams or cost (Alt+A)`}>
          <Trans>All changes</Trans>
        </button>
      </p>
      {/* Told once it is certain: who listens does not want to hear forty answers grow. */}
      <p className="sr-only" aria-live="polite">
        {!looking && moves.best[0] && t`Saves most: ${moves.best[0].label}, ${formatSaving(moves.best[0].time_s)}.`}
      </p>
    </section>
  );
}

function Together({ lever, column, actions, base_s }: { lever: Lever; column: RecipeColumn; actions: SheetActions; base_s: number }) {
  return (
    <div className="mb-1 flex flex-wrap items-center gap-x-2 gap-y-0.5 border border-molten bg-molten-wash px-2 py-1">
      <span className="font-serif text-xl leading-none">{formatSaving(lever.time_s)}</span>
      <span className="text-sm">
        <Trans>{lever.label}, to {formatDuration(base_s + lever.time_s)}</Trans>
      </span>
      <span className="ml-auto">
        <LeverButtons lever={lever} column={column} actions={actions} />
      </span>
    </div>
  );
}

interface MoveProps {
  lever: Lever;
  /** How many pieces the recipe lays at once. */
  pieces: number;
  column: RecipeColumn;
  actions: SheetActions;
  usable: boolean;
}

function Move({ lever, pieces, column, actions, usable }: MoveProps) {
  const [whole, setWhole] = useState(false);
  const price = lever.takes.join(" · ");
  return (
    <li className="grid grid-cols-[5rem_minmax(0,1fr)] gap-x-2 py-1.5">
      <span className="text-right font-serif text-xl leading-6" title={lever.bound_s >= 1 ? t`± ${formatDuration(Math.ceil(lever.bound_s))}: computed on a sample of layers` : undefined}>
        {formatSaving(lever.time_s)}
      </span>
      <div className="min-w-0">
        <p className="flex items-start gap-1 leading-6">
          <span className="min-w-0 flex-1">
            {lever.label}
            {lever.pieces !== pieces && <span className="text-quiet"> <Trans>(a piece)</Trans></span>}
            {Math.abs(lever.filament_g) >= 0.05 && <span className="whitespace-nowrap text-sm text-quiet"> {formatGramsDifference(lever.filament_g)}</span>}
          </span>
          <LeverButtons lever={lever} column={column} actions={actions} usable={usable} />
        </p>
        {price === "" ? (
          <p className="text-xs text-quiet"><Trans>Takes nothing away.</Trans></p>
        ) : (
          <button
            type="button"
            className={`block min-h-6 w-full cursor-pointer text-left text-xs text-warning ${whole ? "" : "truncate"}`}
            aria-expanded={whole}
            title={price}
            onClick={() => setWhole(!whole)}
          >
            <span className="sr-only"><Trans>What it takes:</Trans> </span>
            {price}
          </button>
        )}
      </div>
    </li>
  );
}
