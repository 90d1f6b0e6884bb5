import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

/** A workshop that answers, refuses the connection, or says nothing at all; `keeps` is when what a store gives was kept. */
type Mood = "answers" | "refuses" | "silent";
const START = Date.parse("2026-03-04T14:05:00Z");

describe("the connection", () => {
  let mood: Mood;
  let keeps: string | null;
  let questions: number;
  let lib: typeof import("./connection");

  beforeEach(async () => {
    vi.useFakeTimers({ now: START });
    vi.resetModules();
    [mood, keeps, questions] = ["answers", null, 0];
    vi.stubGlobal("fetch", (request: RequestInfo | URL, init?: RequestInit) => {
      const question = request === "/api/health";
      if (question) questions += 1;
      if (!question && keeps !== null) return Promise.resolve(new Response("{}", { headers: { [lib.KEPT_AT]: keeps } }));
      if (mood === "answers") return Promise.resolve(new Response("{}", { status: question ? 200 : 404 }));
      if (mood === "refuses") return Promise.reject(new TypeError("Failed to fetch"));
      return new Promise<Response>((_, reject) => {
        if (question) setTimeout(() => reject(new DOMException("", "TimeoutError")), 1_500);
        init?.signal?.addEventListener("abort", () => reject(new DOMException("", "AbortError")));
      });
    });
    lib = await import("./connection");
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  const ask = (address = "/api/parts") => lib.askWorkshop(address).catch(() => undefined);

  it("is there as long as anything answers, a refusal too, and asks nothing of its own", async () => {
    await ask();
    await vi.advanceTimersByTimeAsync(60_000);
    expect(lib.connection()).toEqual({ away: false, since: START, kept: null });
    expect(questions).toBe(0);
  });

  it("is away at once where connections are refused, with the moment of the last answer", async () => {
    await ask();
    await vi.advanceTimersByTimeAsync(10_000);
    mood = "refuses";
    await ask();
    await vi.advanceTimersByTimeAsync(0);
    expect(lib.connection()).toEqual({ away: true, since: START, kept: null });
  });

  it("is away within three seconds where nothing comes, and back within three of the first answer", async () => {
    mood = "silent";
    void ask();
    await vi.advanceTimersByTimeAsync(3_000);
    expect(lib.connection().away).toBe(true);
    const back = vi.fn();
    lib.onceBack(back);
    for (const later of [100, 900, 1_700, 2_500]) {
      mood = "silent";
      await vi.advanceTimersByTimeAsync(20_000 + later);
      mood = "answers";
      await vi.advanceTimersByTimeAsync(3_000);
      expect(lib.connection().away, String(later)).toBe(false);
      mood = "silent";
      lib.checkConnection();
      await vi.advanceTimersByTimeAsync(3_000);
      expect(lib.connection().away).toBe(true);
    }
    expect(back).toHaveBeenCalledTimes(4);
  });

  it("knows an answer of the store, and of when the oldest is", async () => {
    mood = "refuses";
    keeps = "2026-03-03T18:00:00.000Z";
    await ask("/api/parts");
    keeps = "2026-03-01T09:00:00.000Z";
    await ask("/api/parts/1");
    await vi.advanceTimersByTimeAsync(0);
    expect(lib.connection()).toEqual({ away: true, since: null, kept: Date.parse("2026-03-01T09:00:00Z") });
    mood = "answers";
    keeps = null;
    await vi.advanceTimersByTimeAsync(3_000);
    expect(lib.connection()).toMatchObject({ away: false, kept: null });
  });

  it("reads what came from the store again where the workshop was only slow, and not without end at once", async () => {
    const back = vi.fn(() => void ask());
    lib.onceBack(back);
    keeps = "2026-03-04T14:00:00.000Z";
    await ask();
    await vi.advanceTimersByTimeAsync(0);
    expect(lib.connection()).toMatchObject({ away: false, kept: START - 300_000 });
    await vi.advanceTimersByTimeAsync(20_000);
    expect(back.mock.calls.length).toBeGreaterThan(1);
    expect(back.mock.calls.length).toBeLessThan(6);
    keeps = null;
    await vi.advanceTimersByTimeAsync(6_000);
    expect(lib.connection().kept).toBeNull();
    const so = back.mock.calls.length;
    await vi.advanceTimersByTimeAsync(60_000);
    expect(back.mock.calls.length).toBe(so);
  });

  it("learns nothing from a request that was given up", async () => {
    const gone = new AbortController();
    mood = "silent";
    const asked = lib.askWorkshop("/api/parts", { signal: gone.signal });
    gone.abort();
    await expect(asked).rejects.toThrow();
    await vi.advanceTimersByTimeAsync(10_000);
    expect(questions).toBe(0);
  });

  it("tells watchers of changes only, and no more when they have gone", async () => {
    const told = vi.fn();
    const stop = lib.watchConnection(told);
    await ask();
    await ask();
    expect(told).not.toHaveBeenCalled();
    mood = "refuses";
    await ask();
    await vi.advanceTimersByTimeAsync(10_000);
    expect(told).toHaveBeenCalledTimes(1);
    stop();
    mood = "answers";
    await vi.advanceTimersByTimeAsync(10_000);
    expect(told).toHaveBeenCalledTimes(1);
  });
});
