import { i18n } from "@lingui/core";
import { I18nProvider } from "@lingui/react";
import { act, cleanup, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { askWorkshop, KEPT_AT } from "../lib/connection";
import { hourOf } from "../lib/format";
import { Connection } from "./Connection";

const NOON = new Date(2026, 2, 4, 12, 0);
let answer: () => Promise<Response>;

const here = (headers: Record<string, string> = {}) => () => Promise.resolve(new Response("{}", { headers }));
const gone = () => Promise.reject(new TypeError("Failed to fetch"));
const ask = () => act(async () => {
  await askWorkshop("/api/parts").catch(() => undefined);
  await vi.advanceTimersByTimeAsync(10);
});
const pass = (ms: number) => act(() => vi.advanceTimersByTimeAsync(ms));

beforeEach(() => {
  vi.useFakeTimers({ now: NOON });
  answer = here();
  vi.stubGlobal("fetch", () => answer());
  render(
    <I18nProvider i18n={i18n}>
      <Connection />
    </I18nProvider>,
  );
});
afterEach(async () => {
  // The state is the page's own: the next test begins with a workshop that answers.
  answer = here();
  await pass(10_000);
  cleanup();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the bar above a page", () => {
  it("is not there while the workshop answers", async () => {
    await ask();
    expect(screen.queryByRole("status")).toBeNull();
  });

  it("says that nothing answers, and of when is what one sees; and goes when something does", async () => {
    await ask();
    await pass(60_000);
    answer = gone;
    await ask();
    expect(screen.getByRole("status").textContent).toBe(
      `No connection. You see what was known at ${hourOf(NOON, NOON)}. What you type is kept, and sent when the workshop answers again.`,
    );
    answer = here();
    await pass(3_000);
    expect(screen.queryByRole("status")).toBeNull();
  });

  it("tells what a store has given from what the workshop has", async () => {
    const kept = new Date(2026, 2, 3, 18, 30);
    answer = here({ [KEPT_AT]: kept.toISOString() });
    await ask();
    expect(screen.getByRole("status").textContent).toContain(`what was stored here at ${hourOf(kept, NOON)}`);
  });
});
