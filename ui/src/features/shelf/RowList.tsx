import { t } from "@lingui/core/macro";
import type { Shelf } from "../../api/client";
import { summaryOf, type KindInfo, type ShelfRow } from "./shelfKinds";

interface RowListProps {
  kind: KindInfo;
  all: readonly ShelfRow[];
  shelf: Shelf;
  picked: number | undefined;
  onPick: (id: number) => void;
  onMove: (row: ShelfRow, beforeId: number | null) => void;
}

/** The rows of a kind in the workshop's own order. Alt and an arrow, or the small arrows, move one. */
export function RowList({ kind, all, shelf, picked, onPick, onMove }: RowListProps) {
  const move = (at: number, by: -1 | 1) => {
    const row = all[at];
    if (row === undefined || all[at + by] === undefined) return;
    onMove(row, by === -1 ? (all[at - 1]?.id ?? null) : (all[at + 2]?.id ?? null));
  };
  return (
    <ul aria-label={kind.title} className="border-t border-rule">
      {all.map((row, at) => (
        <li key={row.id} className={`group flex items-stretch border-b border-rule ${row.id === picked ? "bg-base-200" : ""}`}>
          <button
            type="button"
            aria-current={row.id === picked}
            className={`min-w-0 flex-1 cursor-pointer border-l-[3px] px-2 py-1 text-left ${row.id === picked ? "border-molten" : "border-transparent"}`}
            onClick={() => onPick(row.id)}
            onKeyDown={(event) => {
              if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
                event.preventDefault();
                move(at, event.key === "ArrowUp" ? -1 : 1);
              }
            }}
          >
            <span className="block truncate">{row.name}</span>
            <span className="block truncate text-xs text-quiet">{summaryOf(kind.key, row, shelf)}</span>
          </button>
          <span className="flex flex-col justify-center text-xs text-quiet">
            <button type="button" className="h-6 w-6 cursor-pointer hover:text-base-content disabled:invisible" disabled={at === 0} aria-label={t`Move ${row.name} up`} onClick={() => move(at, -1)}>
              ↑
            </button>
            <button type="button" className="h-6 w-6 cursor-pointer hover:text-base-content disabled:invisible" disabled={at === all.length - 1} aria-label={t`Move ${row.name} down`} onClick={() => move(at, 1)}>
              ↓
            </button>
          </span>
        </li>
      ))}
    </ul>
  );
}
