import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import type { components } from "../../api/schema";

type ColumnChange = components["schemas"]["ColumnChange"];

interface SchoolPreviewProps {
  columns: readonly ColumnChange[] | undefined;
  problem: string | undefined;
  onTake: () => void;
  onLeave: () => void;
}

const SHOWN = 6;

/** Which columns another school would change, and how, before it does. */
export function SchoolPreview({ columns, problem, onTake, onLeave }: SchoolPreviewProps) {
  const count = columns?.length ?? 0;
  return (
    <div className="mt-2 border-l-[3px] border-molten bg-base-200 px-3 py-2 text-sm" aria-live="polite">
      <div className="mb-2 flex gap-2">
        <button type="button" className="btn btn-accent btn-xs" disabled={columns === undefined} onClick={onTake}>
          <Trans>Take this school</Trans>
        </button>
        <button type="button" className="btn btn-ghost btn-xs" onClick={onLeave}>
          <Trans>Leave it as it is</Trans>
        </button>
      </div>
      {problem ? (
        <p className="text-error">{problem}</p>
      ) : columns === undefined ? (
        <p className="text-quiet"><Trans>Looking through the columns …</Trans></p>
      ) : count === 0 ? (
        <p><Trans>No column that is there would change. New ones, findings and levers follow it.</Trans></p>
      ) : (
        <>
          <p>
            <Plural value={count} one="# column would change:" other="# columns would change:" />
          </p>
          <ul className="mt-1 space-y-0.5">
            {columns.slice(0, SHOWN).map((column) => (
              <li key={column.recipe_id}>
                <Link className="underline decoration-rule underline-offset-2" to={`/parts/${column.part_id}`}>
                  {column.part_name}, {column.recipe_name}
                </Link>
                : <span className="text-quiet">{told(column.changes)}</span>
              </li>
            ))}
          </ul>
          {count > SHOWN && <p className="text-quiet"><Trans>and {count - SHOWN} more</Trans></p>}
        </>
      )}
    </div>
  );
}

/** What a column changes in; settings that go from one same figure to another are said together. */
function told(changes: ColumnChange["changes"]): string {
  const alike = new Map<string, ColumnChange["changes"]>();
  for (const change of changes) {
    const key = `${change.before} ${change.after} ${change.unit}`;
    alike.set(key, [...(alike.get(key) ?? []), change]);
  }
  return [...alike.values()].map(said).join("; ");
}

function said(alike: ColumnChange["changes"]): string {
  const [{ label, unit, before, after }] = alike as [ColumnChange["changes"][number]];
  const words = (value: string) => (value === "" ? t`none` : unit === "" ? value : `${value} ${unit}`);
  const others = alike.length > 1 ? t` and ${alike.length - 1} more` : "";
  return `${label.toLowerCase()}${others} ${words(before)} → ${words(after)}`;
}
