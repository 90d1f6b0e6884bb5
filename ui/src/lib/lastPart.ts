/** Which part was looked at last in this tab, so that other rooms can offer to work on it. */

const KEY = "meanbead.lastPart";

export function lastPartId(): number | null {
  try {
    return Number(sessionStorage.getItem(KEY)) || null;
  } catch {
    return null;
  }
}

export function setLastPartId(id: number): void {
  try {
    sessionStorage.setItem(KEY, String(id));
  } catch {
    // Where nothing may be kept, the newest part stands in.
  }
}
