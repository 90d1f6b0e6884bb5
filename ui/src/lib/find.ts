/** Finding a few among many by letters typed: all words have to be there; names that begin with them come first. */
export function ranked<Item>(items: readonly Item[], text: string, textOf: (item: Item) => string): Item[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [...items];
  const scored = items.flatMap((item, place) => {
    const all = textOf(item).toLowerCase();
    const starts = words.map((word) => (all.startsWith(word) ? 0 : all.includes(` ${word}`) ? 1 : all.includes(word) ? 2 : Infinity));
    const score = Math.max(...starts);
    return Number.isFinite(score) ? [{ item, score, place }] : [];
  });
  return scored.sort((a, b) => a.score - b.score || a.place - b.place).map(({ item }) => item);
}
