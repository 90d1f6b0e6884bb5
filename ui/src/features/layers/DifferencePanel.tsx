import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { formatDuration } from "../../lib/format";
import type { OnlyHere } from "./difference";

interface DifferencePanelProps {
  names: readonly [string, string];
  only: readonly [OnlyHere, OnlyHere];
}

/** What of this layer only one of two recipes has, in words. */
export function DifferencePanel({ names, only }: DifferencePanelProps) {
  const none = only.every((one) => one.strokes === 0);
  return (
    <section aria-label={t`Difference in this layer`} className="border-t border-rule pt-2 text-sm" aria-live="polite">
      {none ? (
        <p><Trans>Both lay the same strokes here. A difference in time comes from their pace.</Trans></p>
      ) : (
        <dl>
          {only.map((one, at) => (
            <div key={names[at]} className="flex justify-between gap-2">
              <dt className="min-w-0 truncate"><Trans>Only in {names[at]}</Trans></dt>
              <dd className="whitespace-nowrap">
                <Plural value={one.strokes} one="# stroke" other="# strokes" />, {formatDuration(one.seconds)}
              </dd>
            </div>
          ))}
        </dl>
      )}
    </section>
  );
}
