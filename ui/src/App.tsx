import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { Link, NavLink, Outlet } from "react-router";
import type { Shop } from "./api/client";
import { useHouseRules } from "./api/queries";
import { setCurrency } from "./lib/format";
import { setTheme, storedTheme, type Theme } from "./lib/theme";
import { CommandsProvider, useCommands, type Command } from "./components/commands";
import { Connection } from "./components/Connection";
import { HistoryProvider, UndoButtons, useHistory } from "./components/history";
import { Mark } from "./components/Mark";
import { ToastProvider } from "./components/Toasts";
import { useChanges } from "./components/useChanges";
import { ConfirmDialog } from "./features/people/ConfirmDialog";
import { PersonMenu } from "./features/people/PersonMenu";
import { useGate } from "./features/people/useGate";
import { SignInPage } from "./pages/SignInPage";

// Nobody needs them at once: they are fetched when the first page stands, so that they are there at the first press.
const fetchPalette = () => import("./components/Palette");
const fetchKeys = () => import("./components/KeysHelp");
const Palette = lazy(async () => ({ default: (await fetchPalette()).Palette }));
const KeysHelp = lazy(async () => ({ default: (await fetchKeys()).KeysHelp }));
const IDLE_MS = 2500;

/** Every page, for whoever may see it: somebody alone at this machine, or signed in. */
export function App() {
  const me = useGate();
  const inside = me !== undefined && me.role != null;
  useChanges(inside);
  if (me === undefined) return <p className="p-10 text-quiet">One moment …</p>;
  return inside ? <House /> : <SignInPage />;
}

/** What surrounds every page: the rooms, undo, whose changes these are, the light. */
function House() {
  const money = (useHouseRules().data?.shop as Shop | undefined)?.currency;
  if (money !== undefined) setCurrency(money);
  return (
    <ToastProvider>
      <HistoryProvider>
      <CommandsProvider>
      <a
        href="#main"
        className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-base-100 focus:px-3 focus:py-2"
      >
        Skip to the page
      </a>
      <ConfirmDialog />
      <Connection />
      <header className="border-b border-rule print:hidden">
        <div className="mx-auto flex max-w-(--page) flex-wrap items-center gap-x-6 px-4 py-2">
          <Link to="/" className="flex items-center gap-2 font-serif text-xl font-medium tracking-tight">
            <Mark />
            Mean Bead
          </Link>
          <nav aria-label="Rooms" className="flex flex-wrap gap-x-4 text-sm">
            <Room to="/" name="Parts" />
            <Room to="/recipes" name="Recipes" />
            <Room to="/flow" name="Flow lab" />
            <Room to="/log" name="Log" />
            <Room to="/day" name="Day" />
            <Room to="/shelf" name="Shelf" />
            <Room to="/house-rules" name="House rules" />
            <Room to="/guide" name="Guide" />
          </nav>
          <div className="ml-auto flex flex-wrap items-center gap-x-3">
            <Finder />
            <UndoButtons />
            <PersonMenu />
            <ThemeChoice />
          </div>
        </div>
      </header>
      <main id="main" className="mx-auto max-w-(--page) px-4 pb-16">
        <Outlet key={money ?? "EUR"} />
      </main>
      </CommandsProvider>
      </HistoryProvider>
    </ToastProvider>
  );
}

/** The palette and the sheet of keys, by their keys or by their buttons. */
function Finder() {
  const [open, setOpen] = useState<"" | "palette" | "keys">("");
  const { undo, redo, undoLabel, redoLabel } = useHistory();
  const commands = useMemo<Command[]>(
    () => [
      { name: "Find anything to do", group: "Everywhere", press: "Ctrl+K", run: () => setOpen("palette") },
      { name: "Keys of this page", group: "Everywhere", press: "?", words: "shortcuts help", run: () => setOpen("keys") },
      ...(undoLabel ? [{ name: `Undo ${undoLabel}`, group: "Everywhere", run: () => void undo() }] : []),
      ...(redoLabel ? [{ name: `Do ${redoLabel} again`, group: "Everywhere", run: () => void redo() }] : []),
    ],
    [redo, redoLabel, undo, undoLabel],
  );
  useCommands(commands);
  useEffect(() => {
    const timer = setTimeout(() => void Promise.all([fetchPalette(), fetchKeys()]).catch(() => undefined), IDLE_MS);
    return () => clearTimeout(timer);
  }, []);
  return (
    <>
      <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => setOpen("palette")} title="Parts, rows, pages and changes by name">
        Find <kbd className="kbd kbd-xs hidden sm:inline-flex">Ctrl K</kbd>
      </button>
      <button type="button" className="btn btn-ghost btn-xs px-1.5 font-normal" aria-label="Keys of this page" title="Keys of this page (?)" onClick={() => setOpen("keys")}>
        ?
      </button>
      <Suspense fallback={null}>
        {open === "palette" && <Palette onClose={() => setOpen((now) => (now === "palette" ? "" : now))} />}
        {open === "keys" && <KeysHelp onClose={() => setOpen((now) => (now === "keys" ? "" : now))} />}
      </Suspense>
    </>
  );
}

function Room({ to, name }: { to: string; name: string }) {
  return (
    <NavLink to={to} end className={({ isActive }) => `whitespace-nowrap py-1 ${isActive ? "underline underline-offset-4" : ""}`}>
      {name}
    </NavLink>
  );
}

function ThemeChoice() {
  const [theme, setShown] = useState<Theme>(storedTheme);
  return (
    <label className="flex items-center gap-2 text-sm text-quiet">
      Theme
      <select
        className="select select-xs w-24 border-rule bg-base-100 text-base-content"
        value={theme}
        onChange={(event) => {
          const next = event.target.value as Theme;
          setTheme(next);
          setShown(next);
        }}
      >
        <option value="auto">as system</option>
        <option value="paper">day</option>
        <option value="lamp">lamp</option>
      </select>
    </label>
  );
}
