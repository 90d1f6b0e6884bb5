import { useEffect, useId, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import { usePartNames } from "../api/queries";
import { ranked } from "../lib/find";
import { asCsv, asTabs, saveText, tablesOf } from "../lib/tables";
import { useAllCommands, type Command } from "./commands";
import { useToast } from "./Toasts";

/** Rooms and pages that can be gone to from anywhere. */
export const PAGES: readonly { name: string; to: string; words?: string }[] = [
  { name: "Parts", to: "/" },
  { name: "House recipes", to: "/recipes" },
  { name: "Flow lab", to: "/flow", words: "melt knee test" },
  { name: "Test pieces", to: "/test-pieces", words: "acceleration overhang bridge tower" },
  { name: "Log", to: "/log", words: "runs prints" },
  { name: "Journal", to: "/log/journal" },
  { name: "Faults", to: "/log/faults" },
  { name: "Calibration", to: "/log/calibration", words: "real times" },
  { name: "Experiments", to: "/log/experiments", words: "grid" },
  { name: "Labels", to: "/log/labels" },
  { name: "Day board", to: "/day", words: "plan schedule" },
  { name: "Now", to: "/day/now", words: "phone wall" },
  { name: "Queue", to: "/day/queue" },
  { name: "Plates", to: "/day/plates" },
  { name: "Hours", to: "/day/hours", words: "attended calendar" },
  { name: "Spools ahead", to: "/day/spools", words: "shopping" },
  { name: "Shelf", to: "/shelf", words: "machines nozzles materials spools purposes" },
  { name: "House rules", to: "/house-rules", words: "schools currency prices" },
  { name: "First steps", to: "/begin", words: "start sample workshop begin" },
  { name: "Guide", to: "/guide", words: "help how" },
  { name: "Backups", to: "/backups", words: "restore archive" },
  { name: "Network", to: "/network" },
];

const MOST = 60;

/** Everything that can be done or gone to, found by a few letters. */
export function Palette({ onClose }: { onClose: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const list = useRef<HTMLUListElement>(null);
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const id = useId();
  const navigate = useNavigate();
  const toast = useToast();
  const commands = useAllCommands();
  const parts = usePartNames();
  useEffect(() => {
    const shown = dialog.current;
    if (shown && !shown.open) shown.showModal();
  }, []);
  // What lies under the palette stands still while it is open.
  const [tables] = useState(() => tablesOf(document.querySelector("main") ?? document));
  const every = useMemo<Command[]>(
    () => [
      ...commands,
      ...tables.flatMap(({ name, rows }) => [
        { name: `Copy table: ${name}`, group: "Tables of this page", words: "clipboard spreadsheet", run: () => void copyTable(rows, toast) },
        { name: `Save table as CSV: ${name}`, group: "Tables of this page", words: "file export", run: () => saveText(asCsv(rows), `${name.toLowerCase().replace(/[^a-z0-9]+/g, "-") || "table"}.csv`, "text/csv") },
      ]),
      ...(parts.data ?? []).map((part) => ({ name: part.name, group: "Part", run: () => void navigate(`/parts/${part.id}`) })),
      ...PAGES.map((page) => ({ name: page.name, group: "Page", words: page.words ?? "", run: () => void navigate(page.to) })),
    ],
    [commands, navigate, parts.data, tables, toast],
  );
  const found = useMemo(() => ranked(every, text, (one) => `${one.name} ${one.group} ${one.words ?? ""}`).slice(0, MOST), [every, text]);
  const chosen = Math.min(at, found.length - 1);
  useEffect(() => {
    list.current?.querySelector("[aria-selected=true]")?.scrollIntoView({ block: "nearest" });
  }, [chosen, found]);
  const run = (command: Command | undefined) => {
    if (command === undefined) return;
    dialog.current?.close();
    // The dialog gives the focus back first; what is done next may move it.
    setTimeout(command.run, 0);
  };
  const key = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8 }[event.key];
    if (step !== undefined) {
      event.preventDefault();
      setAt(Math.min(found.length - 1, Math.max(0, chosen + step)));
    }
    if (event.key === "Enter") {
      event.preventDefault();
      run(found[chosen]);
    }
  };
  return (
    <dialog ref={dialog} aria-label="Find anything to do" className="mx-auto mb-auto mt-[12vh] w-[min(40rem,94vw)] border border-rule bg-base-100 p-0 text-base-content shadow-2xl backdrop:bg-black/30" onClose={onClose} onClick={(event) => event.target === dialog.current && dialog.current.close()}>
      <input
        className="w-full border-b border-rule bg-transparent px-4 py-3 font-serif text-xl outline-none"
        placeholder="A part, a row, a page, a change …"
        role="combobox"
        aria-label="Find anything to do"
        aria-expanded="true"
        aria-controls={`${id}-list`}
        aria-activedescendant={found.length > 0 ? `${id}-${chosen}` : undefined}
        autoFocus
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
        }}
        onKeyDown={key}
      />
      <ul ref={list} id={`${id}-list`} role="listbox" aria-label="What was found" className="max-h-[50vh] overflow-y-auto py-1">
        {found.map((command, index) => (
          <li
            key={`${command.group}:${command.name}:${index}`}
            id={`${id}-${index}`}
            role="option"
            aria-selected={index === chosen}
            className={`flex min-h-8 cursor-pointer items-baseline gap-3 border-l-2 px-4 py-1 ${index === chosen ? "border-molten bg-molten-wash" : "border-transparent"}`}
            onMouseMove={() => setAt(index)}
            onClick={() => run(command)}
          >
            <span className="min-w-0 flex-1">{command.name}</span>
            <span className="text-xs text-quiet">{command.group}</span>
            {command.press && <kbd className="kbd kbd-xs">{command.press}</kbd>}
          </li>
        ))}
      </ul>
      {found.length === 0 && <p className="px-4 pb-3 text-sm text-quiet">Nothing is called that here.</p>}
      <p className="border-t border-rule px-4 py-1.5 text-xs text-quiet" role="status">
        {found.length} found · arrows choose, Enter does it, Esc leaves
      </p>
    </dialog>
  );
}

async function copyTable(rows: readonly (readonly string[])[], toast: ReturnType<typeof useToast>) {
  try {
    await navigator.clipboard.writeText(asTabs(rows));
    toast(`${rows.length} rows were copied: paste them into a spreadsheet.`);
  } catch {
    toast("The browser does not let this page copy. Save it as CSV instead.", { tone: "error" });
  }
}
