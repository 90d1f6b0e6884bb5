/** The value at a dotted name of nested records. */
export function valueOf(record: unknown, field: string): unknown {
  return field.split(".").reduce<unknown>((found, name) => (found !== null && typeof found === "object" ? (found as Record<string, unknown>)[name] : undefined), record);
}

/** A copy of nested records with some values set; an undefined value leaves its place open, as JSON does. */
export function withValues(record: unknown, values: readonly (readonly [string, unknown])[]): unknown {
  const copy = structuredClone(record) as Record<string, unknown>;
  for (const [field, value] of values) {
    const path = field.split(".");
    const last = path.pop() ?? "";
    let place = copy;
    for (const name of path) {
      place[name] ??= {};
      place = place[name] as Record<string, unknown>;
    }
    place[last] = value;
  }
  return copy;
}
