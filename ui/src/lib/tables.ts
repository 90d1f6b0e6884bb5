import { t } from "@lingui/core/macro";

/** Tables of a page as text: to be copied into a spreadsheet, or kept as CSV. */

export interface NamedTable {
  name: string;
  rows: string[][];
}

/** The tables that the page shows, by caption, label or the heading over them. */
export function tablesOf(page: ParentNode): NamedTable[] {
  return [...page.querySelectorAll("table")].flatMap((table) => {
    if (table.offsetParent === null) return [];
    const rows = [...table.rows].map((row) => [...row.cells].map((cell) => plainText(cell.innerText)));
    const filled = rows.filter((row) => row.some((cell) => cell !== ""));
    return filled.length > 0 ? [{ name: nameOf(table), rows: filled }] : [];
  });
}

function nameOf(table: HTMLTableElement): string {
  const own = table.getAttribute("aria-label") ?? table.caption?.innerText;
  const named = own ?? table.closest("section[aria-label]")?.getAttribute("aria-label") ?? table.closest("section")?.querySelector("h1, h2, h3")?.textContent;
  return plainText(named ?? document.querySelector("h1")?.textContent ?? t`Table`).slice(0, 60);
}

/** One line, and a minus that spreadsheets take for one. */
export function plainText(text: string): string {
  return text.replace(/\s+/g, " ").replace(/−/g, "-").trim();
}

/** Tabs between cells, as spreadsheets paste them. */
export function asTabs(rows: readonly (readonly string[])[]): string {
  return rows.map((row) => row.map((cell) => cell.replace(/\t/g, " ")).join("\t")).join("\n");
}

/** RFC 4180: quoted where a cell holds a comma, a quote or a line's end. What a spreadsheet would take for a formula is made text. */
export function asCsv(rows: readonly (readonly string[])[]): string {
  const cell = (text: string) => {
    const safe = /^[=+@]|^-(?![\d.])/.test(text) && !/^\+[\d.]/.test(text) ? `'${text}` : text;
    return /[",\r\n]/.test(safe) ? `"${safe.replace(/"/g, '""')}"` : safe;
  };
  return rows.map((row) => row.map(cell).join(",")).join("\r\n") + "\r\n";
}

/** Have the browser keep a text as a file. */
export function saveText(text: string, name: string, type: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
