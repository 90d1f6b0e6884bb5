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
