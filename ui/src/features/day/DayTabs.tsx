import { NavLink } from "react-router";

const ROOMS = [
  ["/day", "Board"],
  ["/day/now", "Now"],
  ["/day/queue", "Queue"],
  ["/day/plates", "Plates"],
  ["/day/spools", "Spools"],
  ["/day/hours", "Hours"],
  ["/day/worth", "Worth it?"],
] as const;

/** The ways between the day's pages. */
export function DayTabs() {
  return (
    <nav aria-label="The day" className="flex flex-wrap gap-1 text-sm">
      {ROOMS.map(([to, name]) => (
        <NavLink key={to} to={to} end={to === "/day"} className={({ isActive }) => `border-b-2 px-2 py-1 ${isActive ? "border-molten font-semibold" : "border-transparent hover:border-rule"}`}>
          {name}
        </NavLink>
      ))}
    </nav>
  );
}
