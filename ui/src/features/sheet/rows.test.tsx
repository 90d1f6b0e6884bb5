import { cleanup, screen, waitFor, within } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { cell, held, openBench, setCell } from "../../test/page";
import { Workshop } from "../../test/workshop";

let workshop: Workshop;
beforeEach(() => {
  sessionStorage.clear();
  localStorage.clear();
  workshop = new Workshop();
  workshop.server.listen({ onUnhandledRequest: "bypass" });
});
afterEach(() => {
  cleanup();
  workshop.server.close();
});

/** The button that shows or hides the rest of a group. */
function unfold(group: string): HTMLElement {
  const found = screen.getAllByRole("button").find((one) => one.textContent.includes(`choices of ${group}`));
  if (found === undefined) throw new Error(`no rest of ${group}`);
  return found;
}

const shown = (row: string, column = "Everyday") => document.querySelector(`button[aria-label^="${row}, ${column}:"]`) !== null;

describe("rows of the sheet", () => {
  it("are found by a word of their name, and the key Enter goes to the first", async () => {
    const { user } = await openBench();
    await user.type(screen.getByLabelText("Find a row"), "seam");
    await waitFor(() => expect([shown("Seam"), shown("Walls in lines")]).toEqual([true, false]));
    await user.keyboard("{Enter}");
    await waitFor(() => expect(document.activeElement).toBe(cell("Seam")));
  });

  it("say so where none is called that, and come back with Escape", async () => {
    const { user } = await openBench();
    await user.type(screen.getByLabelText("Find a row"), "warp drive");
    expect(await screen.findByText(/No row is called that/)).toBeDefined();
    await user.type(screen.getByLabelText("Find a row"), "{Escape}");
    await waitFor(() => expect(shown("Walls in lines")).toBe(true));
  });

  it("can be those that differ from the first column, and no others", async () => {
    const { user } = await openBench();
    await user.click(screen.getByLabelText("Only what differs"));
    await waitFor(() => expect(shown("Machine")).toBe(false));
    expect(shown("Nozzle")).toBe(true);
    expect(shown("Layer height in mm")).toBe(true);
    await user.click(screen.getByLabelText("Only what differs"));
    await waitFor(() => expect(shown("Machine")).toBe(true));
  });

  it("that are rare unfold with their group, stay so on another visit, and what is set stays in sight", async () => {
    const { user } = await openBench();
    expect(shown("Seam")).toBe(false);
    await user.click(unfold("Shell"));
    await waitFor(() => expect(held("Seam")).toBe("at the back, default"));
    cleanup();
    const again = await openBench();
    await waitFor(() => expect(shown("Spiral")).toBe(true));
    await again.user.click(cell("Spiral"));
    await again.user.selectOptions(await screen.findByRole("combobox", { name: "Spiral, Everyday" }), "yes");
    await waitFor(() => expect(held("Spiral")).toBe("yes"));
    await again.user.click(unfold("Shell"));
    await waitFor(() => expect([shown("Spiral"), shown("Seam")]).toEqual([true, false]));
  });
});

describe("height ranges", () => {
  it("are one line of text, and words that it does not know are told before anything is sent", async () => {
    const { user } = await openBench();
    await user.click(unfold("Infill"));
    await setCell(user, "Height ranges", "0-2: infill 60, walls 4; 3-5: top 0");
    await waitFor(() => expect(held("Height ranges")).toBe("0-2: infill 60, walls 4; 3-5: top 0"));
    expect(workshop.column(1).choices.height_ranges).toEqual([
      { from_mm: 0, to_mm: 2, infill_density: 0.6, walls: 4 },
      { from_mm: 3, to_mm: 5, top_layers: 0 },
    ]);
    const sent = workshop.asked.length;
    await setCell(user, "Height ranges", "0-2: magic 3");
    expect((await screen.findByRole("alert")).textContent).toContain("is not known");
    expect(workshop.asked.slice(sent).filter((one) => one.startsWith("PATCH"))).toEqual([]);
  });
});

describe("what a person types", () => {
  it("is refused beside the cell where it is no number, or no whole one", async () => {
    const { user } = await openBench();
    for (const [row, typed, words] of [
      ["Layer height in mm", "thick", "is not a number"],
      ["Walls in lines", "2.5", "whole number"],
    ] as const) {
      await setCell(user, row, typed);
      expect((await screen.findByRole("alert")).textContent).toContain(words);
      await user.keyboard("{Escape}");
      await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
    }
    expect(workshop.asked.filter((one) => one.startsWith("PATCH"))).toEqual([]);
  });
});

describe("figures", () => {
  it("stand in each column as they were computed, and each says how it comes about", async () => {
    await openBench();
    const figure = (row: string, column: string) => {
      const found = document.querySelector(`[role="note"][aria-label^="${row}, ${column}:"]`);
      return found?.getAttribute("aria-label")?.split(": ")[1] ?? "";
    };
    await waitFor(() => expect(figure("Printing time", "Everyday")).toMatch(/^\d+ min/));
    await waitFor(() => expect(figure("Printing time", "Coarser")).toMatch(/^\d+ min/));
    expect(figure("Filament", "Everyday")).toMatch(/^\d+\.\d/);
    expect(figure("Layers", "Everyday")).toBe("50");
    // The coarser column has fewer layers, and says by how many.
    const coarser = document.querySelector('[role="note"][aria-label^="Layers, Coarser:"]');
    expect(coarser?.textContent).toMatch(/−/);
  });

  it("are read out of the ledger by feature and by cause, as time or as grams", async () => {
    const { user } = await openBench();
    const ledger = await screen.findByRole("region", { name: "Where it goes" });
    const rows = () => within(ledger).getAllByRole("rowheader").map((one) => one.textContent);
    await waitFor(() => expect(rows().some((one) => one.includes("Outer wall"))).toBe(true));
    expect(rows().some((one) => one.includes("Travel"))).toBe(true);
    await user.click(within(ledger).getByRole("button", { name: "Grams by feature" }));
    await waitFor(() => expect(rows().some((one) => one.includes("Travel"))).toBe(false));
    await user.click(within(ledger).getByRole("button", { name: "Time by cause" }));
    await waitFor(() => expect(rows().some((one) => one.includes("Travelling"))).toBe(true));
  });
});
