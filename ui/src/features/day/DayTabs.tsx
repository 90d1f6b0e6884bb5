import { t } from "@lingui/core/macro";
import { NavLink } from "react-router";

const ROOMS = [
  ["/day", t`Board`],
  ["/day/now", t`Now`],
  ["/day/queue", t`Queue`],
  ["/day/plates", t`Plates`],
  ["/day/spools", t`Spools`],
  ["/day/hours", t`Hours`],
  ["/day/worth", t`Worth it?`],
] as const;

/** The ways between the day's pages. */
export function DayTabs() {
  return (
    <nav aria-label={t`The day`} className="flex flex-wrap gap-1 text-sm">
      {ROOMS.map(([to, name]) => (
        <NavLink key={to} to={to} end={to === "/day"} className={({ isActive }) => `border-b-2 px-2 py-1 ${isActive ? "border-molten font-semibold" : "border-transparent hover:border-rule"}`}>
          {name}
        </NavLink>
      ))}
    </nav>
  );
}
