import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Difference, JournalEntry } from "../../api/client";
import { moment } from "../../lib/format";

/** What was otherwise, chosen things first; what only follows from them is folded away. */
export function Differences({ changed, journal = [] }: { changed: readonly Difference[]; journal?: readonly JournalEntry[] }) {
  const own = changed.filter((one) => one.what !== "follows");
  const follows = changed.filter((one) => one.what === "follows");
  if (changed.length === 0 && journal.length === 0) return <p className="text-sm text-quiet"><Trans>Nothing that is on record.</Trans></p>;
  return (
    <>
      <ul className="space-y-0.5">
        {own.map((one) => (
          <Line key={one.what + one.key} one={one} />
        ))}
        {journal.map((entry) => (
          <li key={entry.id}>
            {entry.name}
            <span className="ml-2 text-sm text-quiet">
              {moment(entry.at)}
              {entry.who && `, ${entry.who}`}
              {entry.note && ` · “${entry.note}”`}
            </span>
          </li>
        ))}
      </ul>
      {follows.length > 0 && (
        <details className="mt-1 text-sm text-quiet">
          <summary className="cursor-pointer">{own.length > 0 ? t`and ${follows.length} that follow from it` : t`${follows.length} that nobody chose: house rules or defaults were others`}</summary>
          <ul>
            {follows.map((one) => (
              <Line key={one.key} one={one} />
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function Line({ one }: { one: Difference }) {
  return (
    <li>
      {one.label}: <span className="text-quiet">{one.before} →</span> {one.after}
    </li>
  );
}
