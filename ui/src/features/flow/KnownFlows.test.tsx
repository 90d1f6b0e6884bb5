import { i18n } from "@lingui/core";
import { I18nProvider } from "@lingui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent, { PointerEventsCheckLevel } from "@testing-library/user-event";
import { http, HttpResponse } from "msw";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { Machine, Shelf } from "../../api/client";
import { recordedAnswer, Workshop } from "../../test/workshop";
import { KnownFlows } from "./KnownFlows";

let workshop: Workshop;
let shelf: Shelf;
let came: { version: number; printer: Machine["printer"] }[];

beforeEach(() => {
  [shelf, came] = [recordedAnswer("GET /api/shelf") as Shelf, []];
  workshop = new Workshop();
  workshop.server.use(
    http.patch("http://localhost/api/machines/:id", async ({ request }) => {
      const body = (await request.json()) as (typeof came)[number];
      came.push(body);
      return HttpResponse.json({ ...shelf.machines[0], version: body.version + 1, printer: body.printer });
    }),
  );
  workshop.server.listen({ onUnhandledRequest: "bypass" });
});
afterEach(() => {
  cleanup();
  workshop.server.close();
});

function shown(on: Shelf) {
  const queries = new QueryClient({ defaultOptions: { mutations: { networkMode: "always" } } });
  render(
    <I18nProvider i18n={i18n}>
      <QueryClientProvider client={queries}>
        <KnownFlows shelf={on} />
      </QueryClientProvider>
    </I18nProvider>,
  );
  return userEvent.setup({ delay: null, pointerEventsCheck: PointerEventsCheckLevel.Never });
}

describe("what somebody knows a hot end to melt", () => {
  it("is stored with the machine, its nozzle and its plastic", async () => {
    const user = shown(shelf);
    const save = screen.getByRole("button", { name: "Save" });
    expect(save).toHaveProperty("disabled", true);
    await user.type(screen.getByLabelText("Flow, mm³/s"), "14,5");
    await user.click(save);
    await waitFor(() => expect(came).toHaveLength(1));
    expect(came[0]?.version).toBe(shelf.machines[0]?.version);
    expect(came[0]?.printer.known_flows).toMatchObject([{ flow_mm3_s: 14.5, material: shelf.materials[0]?.material.name }]);
    await waitFor(() => expect(screen.getByLabelText("Flow, mm³/s")).toHaveProperty("value", ""));
  });

  it("says beside the field what is wrong, and stores nothing", async () => {
    const user = shown(shelf);
    for (const text of ["much", "0", "-3", "2000"]) {
      await user.clear(screen.getByLabelText("Flow, mm³/s"));
      await user.type(screen.getByLabelText("Flow, mm³/s"), text);
      expect(screen.getByRole("alert").textContent).toBe("Enter a flow in mm³/s, such as 14.");
      expect(screen.getByRole("button", { name: "Save" })).toHaveProperty("disabled", true);
    }
    expect(came).toEqual([]);
  });

  it("takes the place of what was known of the same, and can be removed", async () => {
    const known = { material: shelf.materials[0]?.material.name ?? "", bore_mm: Math.min(...shelf.nozzles.map((one) => one.nozzle.bore_mm ?? 0.4)), flow_mm3_s: 9, metal: null, temp_c: null };
    const [first, ...others] = shelf.machines as [Machine, ...Machine[]];
    const user = shown({ ...shelf, machines: [{ ...first, printer: { ...first.printer, known_flows: [known] } }, ...others] });
    await user.type(screen.getByLabelText("Flow, mm³/s"), "12");
    await user.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(came).toHaveLength(1));
    expect(came[0]?.printer.known_flows).toMatchObject([{ flow_mm3_s: 12 }]);
    await user.click(screen.getByRole("button", { name: "Remove" }));
    await waitFor(() => expect(came).toHaveLength(2));
    expect(came[1]?.printer.known_flows).toEqual([]);
  });
});
