import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import type { Part } from "../../api/client";
import { useRemovePart, useRestorePart } from "../../api/queries";
import { Explained } from "../../components/Explained";
import { useHistory, type Step } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { fixed, formatDuration, formatGrams, formatGramsDifference, percent } from "../../lib/format";

/** One part in the list: its drawing, its size, and its chosen recipe's result. */
export function PartCard({ part }: { part: Part }) {
  const toast = useToast();
  const history = useHistory();
  const remove = useRemovePart();
  const restore = useRestorePart();
  const size = part.facts.extents_mm;

  const takeAway = () =>
    remove.mutate(part, {
      onSuccess: (gone) => {
        let standing = gone;
        const step: Step = {
          label: t`removing ${part.name}`,
          undo: async () => {
            standing = await restore.mutateAsync(part.id);
          },
          redo: async () => {
            standing = await remove.mutateAsync(standing);
          },
        };
        history.push(step);
        toast(t`${part.name} was removed.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
      },
      onError: (error) => toast(error.message, { tone: "error" }),
    });

  return (
    <article className="group relative flex h-full flex-col rounded-box border border-rule bg-base-100 hover:border-base-content">
      <div className="border-b border-rule bg-base-200 dark:bg-base-200">
        <img src={part.picture} alt="" width={480} height={360} className="h-40 w-full object-contain p-2" />
      </div>
      <div className="flex flex-1 flex-col p-3">
        <h2 className="font-serif text-lg leading-tight">
          <Link to={`/parts/${part.id}`} className="after:absolute after:inset-0 hover:underline">
            {part.name}
          </Link>
        </h2>
        <p className="text-sm text-quiet">
          {fixed(size.x, 0)} × {fixed(size.y, 0)} × {fixed(size.z, 0)} mm · {fixed(part.facts.volume_mm3 / 1000, 1)} cm³
        </p>
        {part.note && <p className="mt-1 text-sm">{part.note}</p>}
        {part.facts.mended.length > 0 && (
          <p className="mt-1 text-sm text-warning"><Trans>Mended: {part.facts.mended.join(" ")}</Trans></p>
        )}
        {part.guessed && (
          <p className="mt-1 text-sm text-warning" title={part.guessed.sentences.join(" ")}>
            <Trans>Guessed: {percent(part.guessed.share)} of its surface</Trans>
          </p>
        )}
        <div className="mt-auto flex items-end justify-between gap-2 pt-3">
          {part.headline ? (
            <p className="min-w-0">
              <Explained
                above
                side="start"
                how={t`Every stroke of “${part.headline.recipe_name}”, run through the limits of its machine: ${formatDuration(part.headline.print_time_s)}. Nine of ten prints end between ${formatDuration(part.headline.low_s)} and ${formatDuration(part.headline.high_s)}: ${part.headline.runs > 0 ? t`from ${part.headline.runs} runs of the machine` : t`typical, for nothing was logged yet`}.`}
              >
                <span className="font-serif text-2xl leading-none">{formatDuration(part.headline.print_time_s)}</span>
              </Explained>
              <span className="ml-2">{formatGrams(part.headline.filament_g)}</span>
              <span className="block truncate text-xs text-quiet">{part.headline.recipe_name}</span>
              {part.headline.runs > 0 && (
                <span className="block truncate text-xs text-quiet">
                  <Trans>expect {formatDuration(part.headline.expected_s)}, from <Plural value={part.headline.runs} one="# run" other="# runs" /></Trans>
                </span>
              )}
              <Printed part={part} />
              {part.headline.outdated && (
                <span className="block text-xs text-warning" title={t`The shelf, the house's rules or the way of estimating was changed since: open it, and it is estimated anew.`}>
                  <Trans>before a change of what it rests on</Trans>
                </span>
              )}
            </p>
          ) : (
            <p className="text-sm text-quiet"><Trans>Not estimated yet</Trans></p>
          )}
          <button
            type="button"
            className="btn btn-ghost btn-xs relative z-10 text-quiet"
            aria-label={t`Remove ${part.name}`}
            onClick={takeAway}
          >
            <Trans>Remove</Trans>
          </button>
        </div>
      </div>
    </article>
  );
}

/** What its kept runs say: the last real time, and what was saved since the first recipe. */
function Printed({ part }: { part: Part }) {
  const { printed } = part;
  if (!printed) return null;
  const saves = printed.pieces > 0 && (Math.abs(printed.saved_h) >= 0.05 || Math.abs(printed.saved_g) >= 1);
  return (
    <span className="block text-xs">
      {printed.real_s != null && (
        <Explained above side="start" how={printed.predicted_s != null ? t`What the machine’s panel said at the last print that was kept; ${formatDuration(printed.predicted_s)} were predicted then.` : t`What the machine’s panel said at the last print that was kept.`}>
          <Trans>really {formatDuration(printed.real_s)}</Trans>
        </Explained>
      )}
      {printed.real_s != null && saves && " · "}
      {saves && (
        <Explained above side="start" how={t`The ${printed.pieces} pieces kept since its first recipe, each against one by that recipe: hours and grams added up.`}>
          <span className={printed.saved_h < 0 ? "text-quiet" : "text-molten"}>
            {printed.saved_h >= 0 ? t`saved` : t`took`} {fixed(Math.abs(printed.saved_h), 1)} h, {formatGramsDifference(-printed.saved_g)}
          </span>
        </Explained>
      )}
    </span>
  );
}
