import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useId, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import { usePartNames } from "../api/queries";
import { ranked } from "../lib/find";
import { asCsv, asTabs, saveText, tablesOf } from "../lib/tables";
import { useAllCommands, type Command } from "./commands";
import { useToast } from "./Toasts";

/** Rooms and pages that can be gone to from anywhere. */
export const PAGES: readonly { name: string; to: string; words?: string }[] = [
  { name: t`Parts`, to: "/" },
  { name: t`House recipes`, to: "/recipes" },
  { name: t`Flow lab`, to: "/flow", words: t`melt knee test` },
  { name: t`Test pieces`, to: "/test-pieces", words: t`acceleration overhang bridge tower` },
  { name: t`Log`, to: "/log", words: t`runs prints` },
  { name: t`Journal`, to: "/log/journal" },
  { name: t`Faults`, to: "/log/faults" },
  { name: t`Calibration`, to: "/log/calibration", words: t`real times` },
  { name: t`Experiments`, to: "/log/experiments", words: t`grid` },
  { name: t`Labels`, to: "/log/labels" },
  { name: t`Day board`, to: "/day", words: t`plan schedule` },
  { name: t`Now`, to: "/day/now", words: t`phone wall` },
  { name: t`Queue`, to: "/day/queue" },
  { name: t`Plates`, to: "/day/plates" },
  { name: t`Hours`, to: "/day/hours", words: t`attended calendar` },
  { name: t`Spools ahead`, to: "/day/spools", words: t`shopping` },
  { name: t`Shelf`, to: "/shelf", words: t`machines nozzles materials spools purposes` },
  { name: t`House rules`, to: "/house-rules", words: t`schools currency prices` },
  { name: t`First steps`, to: "/begin", words: t`start sample workshop begin` },
  { name: t`Guide`, to: "/guide", words: t`help how` },
  { name: t`Backups`, to: "/backups", words: t`restore archive` },
  { name: t`Network`, to: "/network" },
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
        { name: t`Copy table: ${name}`, group: t`Tables of this page`, words: t`clipboard spreadsheet`, run: () => void copyTable(rows, toast) },
        { name: t`Save table as CSV: ${name}`, group: t`Tables of this page`, words: t`file export`, run: () => saveText(asCsv(rows), `${name.toLowerCase().replace(/[^a-z0-9]+/g, "-") || "table"}.csv`, "text/csv") },
      ]),
      ...(parts.data ?? []).map((part) => ({ name: part.name, group: t`Part`, run: () => void navigate(`/parts/${part.id}`) })),
      ...PAGES.map((page) => ({ name: page.name, group: t`Page`, words: page.words ?? "", run: () => void navigate(page.to) })),
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
    <dialog ref={dialog} aria-label={t`Find anything to do`} className="mx-auto mb-auto mt-[12vh] w-[min(40rem,94vw)] border border-rule bg-base-100 p-0 text-base-content shadow-2xl backdrop:bg-black/30" onClose={onClose} onClick={(event) => event.target === dialog.current && dialog.current.close()}>
      <input
        className="w-full border-b border-rule bg-transparent px-4 py-3 font-serif text-xl outline-none"
        placeholder={t`A part, a row, a page, a change …`}
        role="combobox"
        aria-label={t`Find anything to do`}
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
      <ul ref={list} id={`${id}-list`} role="listbox" aria-label={t`What was found`} className="max-h-[50vh] overflow-y-auto py-1">
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
      {found.length === 0 && <p className="px-4 pb-3 text-sm text-quiet"><Trans>Nothing is called that here.</Trans></p>}
      <p className="border-t border-rule px-4 py-1.5 text-xs text-quiet" role="status">
        <Trans>{found.length} found · arrows choose, Enter does it, Esc leaves</Trans>
      </p>
    </dialog>
  );
}

async function copyTable(rows: readonly (readonly string[])[], toast: ReturnType<typeof useToast>) {
  try {
    await navigator.clipboard.writeText(asTabs(rows));
    toast(t`${rows.length} rows were copied: paste them into a spreadsheet.`);
  } catch {
    toast(t`The browser does not let this page copy. Save it as CSV instead.`, { tone: "error" });
  }
}
