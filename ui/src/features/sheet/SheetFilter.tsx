import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";

interface SheetFilterProps {
  search: string;
  onSearch: (search: string) => void;
  differing: boolean;
  onDiffering: (differing: boolean) => void;
  /** How many rows are left. */
  rows: number;
  /** Go to the first row that was found. */
  onEnter: () => void;
}

/** Which rows of the sheet are shown: those that are called something, or only what differs. */
export function SheetFilter({ search, onSearch, differing, onDiffering, rows, onEnter }: SheetFilterProps) {
  return (
    <div className="flex flex-wrap items-center gap-3 pb-1 text-sm">
      <label className="input input-xs w-52 border-rule bg-base-100">
        <span className="sr-only"><Trans>Find a row</Trans></span>
        <input
          type="search"
          data-find-row
          placeholder={t`Find a row (/), such as seam`}
          value={search}
          onChange={(event) => onSearch(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Escape") onSearch("");
            if (event.key !== "Enter" || rows === 0) return;
            event.preventDefault(); // or the cell would take the same key
            onEnter();
          }}
        />
      </label>
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={differing}
          onChange={(event) => onDiffering(event.target.checked)}
        />
        <Trans>Only what differs</Trans>
      </label>
      {rows === 0 && <span role="status"><Trans>No row {search.trim() ? t`is called that` : t`differs`}.</Trans></span>}
    </div>
  );
}
