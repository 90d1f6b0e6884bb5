const GO_TO_CELL = "meanbead:cell";

interface Wanted {
  row?: string;
  column?: number;
}

/** Put the focus on a row or a column of the sheet, wherever it is folded away. */
export function goToCell(wanted: Wanted): void {
  window.dispatchEvent(new CustomEvent(GO_TO_CELL, { detail: wanted }));
}

/** Listen for such wishes; returns how to stop. */
export function onGoToCell(go: (wanted: Wanted) => void): () => void {
  const listen = (event: Event) => go((event as CustomEvent<Wanted>).detail);
  window.addEventListener(GO_TO_CELL, listen);
  return () => window.removeEventListener(GO_TO_CELL, listen);
}
