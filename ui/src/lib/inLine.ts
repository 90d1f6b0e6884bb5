const lines = new Map<string, Promise<unknown>>();

/** Run work on one thing in the order in which it was asked for, each piece when the one before has ended. */
export function inLine<Result>(about: string, work: () => Promise<Result>): Promise<Result> {
  const next = (lines.get(about) ?? Promise.resolve()).then(work, work);
  lines.set(
    about,
    next.catch(() => undefined),
  );
  return next;
}

/** Wait until all edits of columns and parts that were asked for so far have ended, well or not. */
export async function settled(): Promise<void> {
  const edits = () => [...lines].filter(([about]) => /^(columns|part) /.test(about)).map(([, line]) => line);
  for (;;) {
    const before = edits();
    await Promise.all(before);
    // What was asked for meanwhile is waited for, too.
    const now = edits();
    if (now.length === before.length && now.every((line, at) => line === before[at])) return;
  }
}
