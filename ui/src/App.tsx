import { i18n } from "@lingui/core";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { Link, NavLink, Outlet } from "react-router";
import type { Shop } from "./api/client";
import { useHouseRules } from "./api/queries";
import { setCurrency } from "./lib/format";
import { choose, languages } from "./lib/language";
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
  if (me === undefined) return <p className="p-10 text-quiet"><Trans>One moment …</Trans></p>;
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
        <Trans>Skip to the page</Trans>
      </a>
      <ConfirmDialog />
      <Connection />
      <header className="border-b border-rule print:hidden">
        <div className="mx-auto flex max-w-(--page) flex-wrap items-center gap-x-6 px-4 py-2">
          <Link to="/" className="flex items-center gap-2 font-serif text-xl tracking-tight">
            <Mark />
            <Trans>Mean Bead</Trans>
          </Link>
          <nav aria-label={t`Rooms`} className="flex flex-wrap gap-x-4 text-sm">
            <Room to="/" name={t`Parts`} />
            <Room to="/recipes" name={t`Recipes`} />
            <Room to="/flow" name={t`Flow lab`} />
            <Room to="/log" name={t`Log`} />
            <Room to="/day" name={t`Day`} />
            <Room to="/shelf" name={t`Shelf`} />
            <Room to="/house-rules" name={t`House rules`} />
            <Room to="/guide" name={t`Guide`} />
          </nav>
          <div className="ml-auto flex flex-wrap items-center gap-x-3">
            <Finder />
            <UndoButtons />
            <PersonMenu />
            <LanguageChoice />
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
      { name: t`Find anything to do`, group: t`Everywhere`, press: "Ctrl+K", run: () => setOpen("palette") },
      { name: t`Keys of this page`, group: t`Everywhere`, press: "?", words: t`shortcuts help`, run: () => setOpen("keys") },
      ...(undoLabel ? [{ name: t`Undo ${undoLabel}`, group: t`Everywhere`, run: () => void undo() }] : []),
      ...(redoLabel ? [{ name: t`Do ${redoLabel} again`, group: t`Everywhere`, run: () => void redo() }] : []),
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
      <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => setOpen("palette")} title={t`Parts, rows, pages and changes by name`}>
        <Trans>Find <kbd className="kbd kbd-xs hidden sm:inline-flex">Ctrl K</kbd></Trans>
      </button>
      <button type="button" className="btn btn-ghost btn-xs px-1.5 font-normal" aria-label={t`Keys of this page`} title={t`Keys of this page (?)`} onClick={() => setOpen("keys")}>
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
      <Trans>Theme</Trans>
      <select
        className="select select-xs w-24 border-rule bg-base-100 text-base-content"
        value={theme}
        onChange={(event) => {
          const next = event.target.value as Theme;
          setTheme(next);
          setShown(next);
        }}
      >
        <option value="auto">{t`as system`}</option>
        <option value="paper">{t`day`}</option>
        <option value="lamp">{t`lamp`}</option>
      </select>
    </label>
  );
}

/** Only where there is a choice: each file of texts in src/locales is one. */
function LanguageChoice() {
  const known = languages();
  if (known.length < 2) return null;
  return (
    <label className="flex items-center gap-2 text-sm text-quiet">
      <Trans>Language</Trans>
      <select className="select select-xs w-24 border-rule bg-base-100 text-base-content" value={i18n.locale} onChange={(event) => choose(event.target.value)}>
        {known.map((code) => (
          <option key={code} value={code}>
            {new Intl.DisplayNames([code], { type: "language" }).of(code)}
          </option>
        ))}
      </select>
    </label>
  );
}
