import { i18n } from "@lingui/core";
import { I18nProvider } from "@lingui/react";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent, { PointerEventsCheckLevel } from "@testing-library/user-event";
import { http, HttpResponse, type JsonBodyType } from "msw";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { RunEdit, RunTag } from "../../api/client";
import { recordedAnswer, Workshop } from "../../test/workshop";
import { TagPage } from "./TagPage";

const HERE = "http://localhost";
let workshop: Workshop;
/** The run as it is stored, and every entry that came in. */
let run: RunTag;
let came: RunEdit[];
/** What becomes of the next entries: stored and answered; stored, and the answer lost; not even heard. */
let line: "sound" | "answer lost" | "dead";

beforeEach(() => {
  localStorage.clear();
  [run, came, line] = [recordedAnswer("GET /api/runs/1/tag") as RunTag, [], "sound"];
  workshop = new Workshop();
  workshop.server.use(
    http.get(`${HERE}/api/runs/1/tag`, () => (line === "dead" ? HttpResponse.error() : HttpResponse.json(run as JsonBodyType))),
    http.patch(`${HERE}/api/runs/1`, async ({ request }) => {
      if (line === "dead") return HttpResponse.error();
      const edit = (await request.json()) as RunEdit;
      came.push(edit);
      if (edit.version !== run.version) return HttpResponse.json({ status: 409, title: "Changed", detail: "It was changed." } as JsonBodyType, { status: 409 });
      run = { ...run, version: run.version + 1, entry: { ...run.entry, ...edit.entry } };
      if (line === "answer lost") {
        line = "sound";
        return HttpResponse.error();
      }
      return HttpResponse.json(run as JsonBodyType);
    }),
  );
  workshop.server.listen({ onUnhandledRequest: "bypass" });
});
afterEach(() => {
  cleanup();
  workshop.server.close();
});

async function atTheMachine() {
  render(
    <I18nProvider i18n={i18n}>
      <TagPage runId={1} />
    </I18nProvider>,
  );
  await screen.findByRole("button", { name: "Store it" });
  const user = userEvent.setup({ delay: null, pointerEventsCheck: PointerEventsCheckLevel.Never });
  return { user, press: (name: string) => user.click(screen.getByRole("button", { name })), stored: () => screen.findByText("Stored.", {}, { timeout: 8_000 }) };
}

describe("an entry at the machine", () => {
  it("says what came of it, with what the display and the scale say", async () => {
    const { user, press, stored } = await atTheMachine();
    await press("Kept");
    await user.type(screen.getByLabelText(/^Hours/), "1");
    await user.type(screen.getByLabelText(/^Minutes/), "5");
    await press("With heating");
    await user.type(screen.getByLabelText(/^Weight/), "12,5");
    await press("4");
    await press("Store it");
    await stored();
    expect(run.entry).toMatchObject({ state: "kept", time_s: 3900, time_means: "with_heating", weight_g: 12.5, looks: 4 });
  });

  it("wants to know first what came of it", async () => {
    const { press } = await atTheMachine();
    await press("Store it");
    expect((await screen.findByRole("alert")).textContent).toContain("kept, scrapped or stopped");
    expect(came).toEqual([]);
  });

  it("names what is no number, and sends nothing", async () => {
    const { user, press } = await atTheMachine();
    await press("Kept");
    await user.type(screen.getByLabelText(/^Weight/), "heavy");
    await press("Store it");
    expect((await screen.findByRole("alert")).textContent).toContain("heavy");
    expect(came).toEqual([]);
  });

  it("is taken back by one press", async () => {
    const { press, stored } = await atTheMachine();
    await press("Scrapped");
    await press("Store it");
    await stored();
    await press("Undo");
    await waitFor(() => expect(run.entry.state).toBe("running"));
  });

  it("is still there after the phone was in a pocket", async () => {
    const { user, press } = await atTheMachine();
    await press("Kept");
    await user.type(screen.getByLabelText(/^Minutes/), "7");
    cleanup();
    await atTheMachine();
    expect(screen.getByLabelText(/^Minutes/)).toHaveProperty("value", "7");
    expect(came).toEqual([]);
  });

  it("tells where it stopped, and which faults it has, and leads to their causes", async () => {
    const { user, press, stored } = await atTheMachine();
    await press("Stopped");
    await user.type(screen.getByLabelText(/^Layer/), "12");
    await press("Tag a fault");
    await press("Strings");
    await press("That is all");
    await press("Store it");
    await stored();
    expect(run.entry).toMatchObject({ state: "stopped", stopped_layer: 12, faults: ["strings"] });
    expect(screen.getByRole("link", { name: "Find the cause" }).getAttribute("href")).toBe("/log/1/causes");
  });
});

describe("a connection that comes and goes", () => {
  it("keeps the entry in the phone, and stores it when the workshop answers", async () => {
    const { press, stored } = await atTheMachine();
    line = "dead";
    await press("Kept");
    await press("Store it");
    await screen.findByText(/it is kept in this phone/);
    cleanup();
    line = "sound";
    await atTheMachine();
    await stored();
    expect(run.entry.state).toBe("kept");
    expect(came.length).toBe(1);
  });

  it("stores nothing twice where only the answer got lost", async () => {
    const { press, stored } = await atTheMachine();
    line = "answer lost";
    await press("Kept");
    await press("Store it");
    await stored();
    // Sent again it was stale; but what is stored is what was sent.
    expect(came.map((one) => one.version)).toEqual([came[0]?.version, came[0]?.version]);
    expect(run.version).toBe((came[0]?.version ?? 0) + 1);
  });

  it("asks whose entry stays where somebody else was quicker", async () => {
    const { press, stored } = await atTheMachine();
    run = { ...run, version: run.version + 1, entry: { ...run.entry, state: "kept", looks: 5 } };
    await press("Scrapped");
    await press("Store it");
    await screen.findByText(/Somebody else has entered this run meanwhile/);
    expect(run.entry.state).toBe("kept");
    await press("Store mine");
    await stored();
    expect(run.entry.state).toBe("scrapped");
  });
});
