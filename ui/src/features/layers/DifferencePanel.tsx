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
    <section aria-label="Difference in this layer" className="border-t border-rule pt-2 text-sm" aria-live="polite">
      {none ? (
        <p>Both lay the same strokes here. A difference in time comes from their pace.</p>
      ) : (
        <dl>
          {only.map((one, at) => (
            <div key={names[at]} className="flex justify-between gap-2">
              <dt className="min-w-0 truncate">Only in {names[at]}</dt>
              <dd className="whitespace-nowrap">
                {one.strokes} {one.strokes === 1 ? "stroke" : "strokes"}, {formatDuration(one.seconds)}
              </dd>
            </div>
          ))}
        </dl>
      )}
    </section>
  );
}
