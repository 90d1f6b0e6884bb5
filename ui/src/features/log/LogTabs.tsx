import { t } from "@lingui/core/macro";
import { NavLink } from "react-router";

const ROOMS = [
  ["/log", t`Runs`],
  ["/log/journal", t`Journal`],
  ["/log/calibration", t`Calibration`],
  ["/log/experiments", t`Experiments`],
  ["/log/faults", t`Faults`],
  ["/log/import", t`Import`],
] as const;

/** The ways between the log's pages. */
export function LogTabs() {
  return (
    <nav aria-label={t`The log`} className="flex flex-wrap gap-1 text-sm">
      {ROOMS.map(([to, name]) => (
        <NavLink key={to} to={to} end className={({ isActive }) => `border-b-2 px-2 py-1 ${isActive ? "border-molten font-semibold" : "border-transparent hover:border-rule"}`}>
          {name}
        </NavLink>
      ))}
    </nav>
  );
}
