import type { RunEdit } from "../../api/client";

/** What somebody has typed of a run: kept in this device until it is stored. */
export interface Waiting {
  runId: number;
  edit: RunEdit;
  /** Typed, and not sent off yet. */
  draft: boolean;
}

type Shelf = Pick<Storage, "getItem" | "setItem" | "removeItem">;

const place = (runId: number) => `meanbead.run.${runId}`;

/** What waits of a run; null where nothing does, or it cannot be read. */
export function readWaiting(shelf: Shelf, runId: number): Waiting | null {
  try {
    const found = JSON.parse(shelf.getItem(place(runId)) ?? "null") as Waiting | null;
    return found !== null && found.runId === runId && typeof found.edit === "object" ? found : null;
  } catch {
    return null;
  }
}

export function keepWaiting(shelf: Shelf, waiting: Waiting): void {
  shelf.setItem(place(waiting.runId), JSON.stringify(waiting));
}

/** Let go of what is stored: of what was typed meanwhile, nothing. */
export function letGoOf(shelf: Shelf, sent: Waiting): Waiting | null {
  const now = readWaiting(shelf, sent.runId);
  if (now === null || JSON.stringify(now.edit) === JSON.stringify(sent.edit)) {
    shelf.removeItem(place(sent.runId));
    return null;
  }
  return now;
}

export type Told = { stored: number } | "away" | { refused: string } | { theirs: number; says: string };

/**
 * Send what waits of a run. `send` gives the new version, "away" where nothing answers, why it is refused, or the version that
 * somebody else has stored meanwhile. What was typed while it was under way stays, against the new version.
 */
export async function sendWaiting(shelf: Shelf, runId: number, send: (edit: RunEdit) => Promise<Told>): Promise<Told | null> {
  const waiting = readWaiting(shelf, runId);
  if (waiting === null || waiting.draft) return null;
  const told = await send(waiting.edit);
  if (typeof told === "object" && "stored" in told) {
    const left = letGoOf(shelf, waiting);
    if (left !== null) keepWaiting(shelf, { ...left, edit: { ...left.edit, version: told.stored } });
  }
  return told;
}
