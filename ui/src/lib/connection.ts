/**
 * Whether the workshop answers, judged by its answers alone. A browser knows whether there is some network; a phone in the
 * Wi-Fi of a workshop that has stopped is online, and would show yesterday's figures as today's.
 */

/** In milliseconds since 1970. `since`: the last true answer, null before the first; `kept`: the oldest stored answer in view. */
export interface Connection {
  away: boolean;
  since: number | null;
  kept: number | null;
}

/** The service worker writes on each answer that it stores when that was; an answer that carries it came from its store. */
export const KEPT_AT = "X-Kept-At";

/** Something light that no store answers; any answer will do, for a refusal is an answer, too. */
const QUESTION = "/api/health";

/** A request without an answer for so long is a reason to ask. */
const SLOW_MS = 1_200;
/** How long an answer to the question may take, and how long after it the next is asked: together under three seconds. */
const WITHIN_MS = 1_500;
const AGAIN_MS = 1_200;
/** What came from the store though the workshop answers is read once more so often. */
const REREAD_MS = 5_000;

type Told = () => void;

let now: Connection = { away: false, since: null, kept: null };
const kept = new Map<string, number>();
const watchers = new Set<Told>();
const waiting = new Set<Told>();
let asking: Promise<void> | null = null;
let next: ReturnType<typeof setTimeout> | undefined;
let reread: ReturnType<typeof setTimeout> | undefined;

/** The state just now; the same object for as long as nothing changes. */
export function connection(): Connection {
  return now;
}

/** Be told of changes, until the function that is returned is called. */
export function watchConnection(told: Told): () => void {
  watchers.add(told);
  return () => watchers.delete(told);
}

/** Be told whenever the workshop answers again: what waits is sent, what was kept is read anew. */
export function onceBack(told: Told): () => void {
  waiting.add(told);
  return () => waiting.delete(told);
}

/** `fetch`, with an ear for what comes back. */
export async function askWorkshop(request: RequestInfo | URL, init?: RequestInit): Promise<Response> {
  const slow = setTimeout(checkConnection, SLOW_MS);
  try {
    const answer = await fetch(request, init);
    heard(answer, typeof request === "object" && "url" in request ? request.url : String(request));
    return answer;
  } catch (error) {
    // Who gave up waiting learnt nothing; everything else that failed may have the same cause.
    if (!(error instanceof DOMException && error.name === "AbortError")) checkConnection();
    throw error;
  } finally {
    clearTimeout(slow);
  }
}

/** Ask at once: something failed, came late, woke up, or the browser speaks of its network. */
export function checkConnection(): void {
  asking ??= ask().finally(() => {
    asking = null;
  });
}

if (typeof window !== "undefined") for (const hint of ["online", "offline"]) window.addEventListener(hint, checkConnection);

function heard(answer: Response, address: string): void {
  const stored = answer.headers.get(KEPT_AT);
  if (stored === null) {
    kept.delete(address);
    here();
    return;
  }
  kept.set(address, Date.parse(stored));
  tell(now.away, now.since);
  // It may only have been slow.
  checkConnection();
}

async function ask(): Promise<void> {
  clearTimeout(next);
  try {
    await fetch(QUESTION, { cache: "no-store", signal: AbortSignal.timeout(WITHIN_MS) });
  } catch {
    tell(true, now.since);
    next = setTimeout(checkConnection, AGAIN_MS);
    return;
  }
  here();
}

/** A true answer has come. */
function here(): void {
  const back = now.away;
  if (back) {
    clearTimeout(next);
    kept.clear();
  }
  tell(false, Date.now());
  if (back) tellBack();
  else if (kept.size > 0) reread ??= setTimeout(readAgain, REREAD_MS);
}

/** The workshop answers, and yet something in view came from the store. */
function readAgain(): void {
  reread = undefined;
  if (now.away || kept.size === 0) return;
  kept.clear();
  tell(false, now.since);
  tellBack();
}

function tellBack(): void {
  for (const told of [...waiting]) told();
}

function tell(away: boolean, since: number | null): void {
  const oldest = kept.size === 0 ? null : Math.min(...kept.values());
  const same = away === now.away && oldest === now.kept;
  // The moment of the last answer is in view only while none comes.
  now = same && !away ? Object.assign(now, { since }) : { away, since, kept: oldest };
  if (!same) for (const told of [...watchers]) told();
}
