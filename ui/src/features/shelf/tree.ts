/** Values inside a description, by their path. */

type Tree = Record<string, unknown>;

export type FieldValue = string | number | boolean | null;

export function valueAt(tree: unknown, path: readonly string[]): unknown {
  let found = tree;
  for (const step of path) found = (found as Tree | null | undefined)?.[step];
  return found;
}

/** A description with one value changed; null takes an optional one away. */
export function withValueAt<Described>(tree: Described, path: readonly string[], value: unknown): Described {
  const [first, ...rest] = path;
  if (first === undefined) return value as Described;
  const inner = (tree as Tree | null | undefined)?.[first];
  return { ...(tree as object), [first]: withValueAt(inner ?? {}, rest, value) } as Described;
}
