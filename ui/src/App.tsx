import { lazy, Suspense, useState } from "react";
import { Link, NavLink, Route, Routes } from "react-router";
import { setTheme, storedTheme, type Theme } from "./lib/theme";
import { PartsPage } from "./pages/parts/PartsPage";
import { ToastProvider } from "./parts/Toasts";

const BenchPage = lazy(() => import("./pages/bench/BenchPage"));
const ShelfPage = lazy(() => import("./pages/shelf/ShelfPage"));

export function App() {
  return (
    <ToastProvider>
      <a
        href="#main"
        className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-base-100 focus:px-3 focus:py-2"
      >
        Skip to the page
      </a>
      <header className="border-b border-rule">
        <div className="mx-auto flex max-w-[1500px] items-center gap-6 px-4 py-2">
          <Link to="/" className="flex items-center gap-2 font-serif text-xl font-medium tracking-tight">
            <Mark />
            Mean Bead
          </Link>
          <nav aria-label="Rooms" className="flex gap-4 text-sm">
            <Room to="/" name="Parts" />
            <Room to="/shelf" name="Shelf" />
          </nav>
          <div className="ml-auto">
            <ThemeChoice />
          </div>
        </div>
      </header>
      <main id="main" className="mx-auto max-w-[1500px] px-4 pb-16">
        <Suspense fallback={<p className="py-10 text-quiet">One moment …</p>}>
          <Routes>
            <Route path="/" element={<PartsPage />} />
            <Route path="/parts/:partId" element={<BenchPage />} />
            <Route path="/shelf" element={<ShelfPage />} />
            <Route path="*" element={<Lost />} />
          </Routes>
        </Suspense>
      </main>
    </ToastProvider>
  );
}

function Room({ to, name }: { to: string; name: string }) {
  return (
    <NavLink to={to} end className={({ isActive }) => (isActive ? "underline underline-offset-4" : "")}>
      {name}
    </NavLink>
  );
}

/** Two beads, one on the other. */
function Mark() {
  return (
    <svg width="26" height="20" viewBox="0 0 26 20" aria-hidden="true">
      <rect x="1" y="11" width="24" height="8" rx="4" fill="currentColor" />
      <rect x="1" y="2" width="24" height="8" rx="4" className="fill-molten" />
    </svg>
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

function Lost() {
  return (
    <section className="py-16">
      <h1 className="font-serif text-3xl">There is nothing at this address</h1>
      <p className="mt-2">
        Go to the <Link to="/" className="underline">list of parts</Link>.
      </p>
    </section>
  );
}
