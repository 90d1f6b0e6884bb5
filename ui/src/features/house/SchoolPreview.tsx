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
      {problem ? (
        <p className="text-error">{problem}</p>
      ) : columns === undefined ? (
        <p className="text-quiet">Looking through the columns …</p>
      ) : count === 0 ? (
        <p>No column that is there would change. New ones, findings and levers follow it.</p>
      ) : (
        <>
          <p>
            {count} column{count > 1 ? "s" : ""} would change:
          </p>
          <ul className="mt-1 space-y-0.5">
            {columns.slice(0, SHOWN).map((column) => (
              <li key={column.recipe_id}>
                <Link className="underline decoration-rule underline-offset-2" to={`/parts/${column.part_id}`}>
                  {column.part_name}, {column.recipe_name}
                </Link>
                : <span className="text-quiet">{column.changes.map(said).join("; ")}</span>
              </li>
            ))}
          </ul>
          {count > SHOWN && <p className="text-quiet">and {count - SHOWN} more</p>}
        </>
      )}
      <div className="mt-2 flex gap-2">
        <button type="button" className="btn btn-accent btn-xs" disabled={columns === undefined} onClick={onTake}>
          Take this school
        </button>
        <button type="button" className="btn btn-ghost btn-xs" onClick={onLeave}>
          Leave it as it is
        </button>
      </div>
    </div>
  );
}

function said({ label, unit, before, after }: ColumnChange["changes"][number]): string {
  const words = (value: string) => (value === "" ? "none" : unit === "" ? value : `${value} ${unit}`);
  return `${label.toLowerCase()} ${words(before)} → ${words(after)}`;
}
