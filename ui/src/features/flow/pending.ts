import type { FlowPoint } from "../../api/client";

/** An entry that was typed and is not stored yet. */
export interface Pending {
  key: string;
  testId: number;
  point: FlowPoint;
  /** Why the server will not have it; empty while it is only away. */
  refused: string;
}

type Shelf = Pick<Storage, "getItem" | "setItem">;

const KEY = "meanbead.flow.pending";

/** Entries that wait, oldest first: they outlive a reload and a lost connection. */
export function readPending(shelf: Shelf): Pending[] {
  try {
    const found: unknown = JSON.parse(shelf.getItem(KEY) ?? "[]");
    return Array.isArray(found) ? (found as Pending[]) : [];
  } catch {
    return [];
  }
}

function write(shelf: Shelf, entries: readonly Pending[]): void {
  shelf.setItem(KEY, JSON.stringify(entries));
}

/** Keep an entry until it is stored; the same key again replaces it. */
export function keep(shelf: Shelf, entry: Pending): void {
  write(shelf, [...readPending(shelf).filter((one) => one.key !== entry.key), entry]);
}

/** Let go of one that is stored, or given up. */
export function letGo(shelf: Shelf, key: string): void {
  write(shelf, readPending(shelf).filter((one) => one.key !== key));
}

/**
 * Send what waits, oldest first. `send` says "stored", "away" where nothing answers (then the rest waits, too), or why it is
 * refused. Returns whether anything was stored.
 */
export async function sendPending(shelf: Shelf, send: (entry: Pending) => Promise<"stored" | "away" | { refused: string }>): Promise<boolean> {
  let stored = false;
  for (const entry of readPending(shelf)) {
    if (entry.refused) continue;
    const told = await send(entry);
    if (told === "away") break;
    if (told === "stored") {
      letGo(shelf, entry.key);
      stored = true;
    } else {
      keep(shelf, { ...entry, refused: told.refused });
    }
  }
  return stored;
}
