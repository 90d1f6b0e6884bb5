/**
 * Move the focus once the editor that holds it has left the page, after this turn. Where it has gone elsewhere by then, somebody
 * has taken it there, and it stays.
 */
export function focusLater(find: () => HTMLElement | null | undefined): void {
  setTimeout(() => {
    if (document.activeElement === null || document.activeElement === document.body) find()?.focus();
  }, 0);
}
