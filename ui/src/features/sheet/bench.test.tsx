import { cleanup, screen, waitFor, within } from "@testing-library/react";
import { http, HttpResponse } from "msw";
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

const status = () => screen.getByRole("status", { name: "" });
const writes = () => workshop.asked.filter((one) => one.startsWith("PATCH")).length;

/** Something that is waited for from outside. */
function gate(): { held: Promise<void>; open: () => void } {
  let release: () => void = () => undefined;
  const held = new Promise<void>((done) => {
    release = done;
  });
  return { held, open: () => release() };
}

describe("a cell of the sheet", () => {
  it("is written with its column's version, and undone and done again", async () => {
    const { user } = await openBench();
    await setCell(user, "Infill in %", "40 %");
    await waitFor(() => expect(held("Infill in %")).toBe("40"));
    expect(workshop.column(1).choices.infill?.density).toBe(0.4);
    await user.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(held("Infill in %")).toBe("15, default"));
    await user.click(screen.getByRole("button", { name: "Redo" }));
    await waitFor(() => expect(held("Infill in %")).toBe("40"));
    expect(writes()).toBe(3);
  });

  it("goes back to its default when it is emptied", async () => {
    const { user } = await openBench();
    await setCell(user, "Walls in lines", "5");
    await waitFor(() => expect(held("Walls in lines")).toBe("5"));
    cell("Walls in lines").focus();
    await user.keyboard("{Delete}{Enter}");
    await waitFor(() => expect(held("Walls in lines")).toBe("2, default"));
    expect(workshop.column(1).choices.walls ?? null).toBeNull();
  });

  it("keeps what is typed nowhere when Escape ends it", async () => {
    const { user } = await openBench();
    await user.click(cell("Walls in lines"));
    await user.keyboard("8{Escape}");
    expect(held("Walls in lines")).toBe("2, default");
    expect(writes()).toBe(0);
  });

  it("says what the server refuses beside what was typed", async () => {
    const { user } = await openBench();
    await setCell(user, "Walls in lines", "101");
    const said = await screen.findByRole("alert");
    expect(said.textContent).toContain("at most 100");
    expect(screen.getByRole("textbox", { name: "Walls in lines, Everyday" })).toHaveProperty("value", "101");
    expect(workshop.column(1).choices.walls ?? null).toBeNull();
  });

  it("says what differs from the first column", async () => {
    await openBench();
    expect(held("Nozzle", "Coarser")).toContain("differs from the first");
    expect(held("Walls in lines", "Coarser")).not.toContain("differs");
  });
});

describe("a recipe that is refused", () => {
  it("is told in its column, and nothing beside the sheet says that all is well", async () => {
    const refused = { title: "Cannot be printed", status: 422, detail: "Layer 11 has 2 inner outlines.", code: "invalid" };
    workshop.server.use(http.all(/\/api\/recipes\/1\/(figures|first-answer|estimate)/, () => HttpResponse.json(refused, { status: 422 })));
    await openBench();
    await screen.findByText(/Layer 11 has 2 inner outlines/);
    await screen.findByText(/This recipe has no figures/);
    expect(screen.queryByText(/Nothing that could go wrong/)).toBeNull();
    expect(screen.queryByText(/Looking for what saves most/)).toBeNull();
  });
});

describe("what somebody else changes meanwhile", () => {
  it("is not overwritten in the same cell, and shown", async () => {
    const { user } = await openBench();
    workshop.changeElsewhere(1, { top_layers: 7 });
    await setCell(user, "Top layers in layers", "9");
    await waitFor(() => expect(status().textContent).toContain("Somebody else changed this in between."));
    await user.keyboard("{Escape}");
    await waitFor(() => expect(held("Top layers in layers")).toBe("7"));
    expect(workshop.column(1).choices.top_layers).toBe(7);
  });

  it("stays beside one's own in another cell, and that is said", async () => {
    const { user } = await openBench();
    workshop.changeElsewhere(1, { walls: 7 });
    await setCell(user, "Top layers in layers", "9");
    await waitFor(() => expect(status().textContent).toContain("It now holds both changes"));
    await waitFor(() => expect([held("Walls in lines"), held("Top layers in layers")]).toEqual(["7", "9"]));
  });
});

describe("quick hands", () => {
  it("type into the next cell before the first is stored, and both are", async () => {
    const { user } = await openBench();
    const door = gate();
    workshop.held = door.held;
    await setCell(user, "Infill in %", "22");
    await user.click(cell("Walls in lines"));
    await user.clear(document.activeElement as HTMLElement);
    await user.keyboard("4");
    door.open();
    await waitFor(() => expect(workshop.column(1).choices.infill?.density).toBe(0.22));
    // The late answer pulls nobody out of the cell.
    expect(document.activeElement).toHaveProperty("value", "4");
    await user.keyboard("{Enter}");
    await waitFor(() => expect(workshop.column(1).choices.walls).toBe(4));
    expect([held("Infill in %"), held("Walls in lines")]).toEqual(["22", "4"]);
  });

  it("lose nothing where no answer comes: it is sent when the workshop answers again", async () => {
    const { user } = await openBench();
    workshop.away = true;
    await setCell(user, "Walls in lines", "6");
    await waitFor(() => expect(writes()).toBe(1));
    cleanup();
    workshop.away = false;
    await openBench();
    await waitFor(() => expect(workshop.column(1).choices.walls).toBe(6));
    await waitFor(() => expect(held("Walls in lines")).toBe("6"));
  });
});

describe("columns", () => {
  it("are doubled with the edit that is under way, removed, and brought back where they were", async () => {
    const { user } = await openBench();
    await setCell(user, "Walls in lines", "5");
    await user.click(screen.getByRole("button", { name: "Duplicate Everyday" }));
    await waitFor(() => expect(held("Walls in lines", "Everyday copy")).toBe("5"));
    await user.click(screen.getByRole("button", { name: "Remove Everyday copy" }));
    await waitFor(() => expect(screen.queryByRole("button", { name: "Duplicate Everyday copy" })).toBeNull());
    await user.click(within(status()).getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(held("Walls in lines", "Everyday copy")).toBe("5"));
    const names = screen.getAllByRole("button", { name: /^Name of recipe/ }).map((one) => one.textContent);
    expect(names).toEqual(["Everyday", "Everyday copy", "Coarser"]);
  });

  it("get another name, and none where Escape ends it", async () => {
    const { user } = await openBench();
    for (const [typed, name] of [["Left foot{Enter}", "Left foot"], ["Nothing{Escape}", "Left foot"]] as const) {
      await user.click(screen.getByRole("button", { name: /^Name of recipe 1/ }));
      await user.clear(document.activeElement as HTMLElement);
      await user.keyboard(typed);
      await waitFor(() => expect(screen.getByRole("button", { name: /^Name of recipe 1/ }).textContent).toBe(name));
    }
    expect(workshop.column(1).name).toBe("Left foot");
  });
});

describe("keys on the sheet", () => {
  it("walk, begin to type, and go on downwards", async () => {
    const { user } = await openBench();
    cell("Layer height in mm").focus();
    const walked = () => (document.activeElement?.getAttribute("aria-label") ?? "").split(":")[0];
    await user.keyboard("{ArrowRight}");
    expect(walked()).toBe("Layer height in mm, Coarser");
    await user.keyboard("{ArrowLeft}{ArrowDown}");
    expect(walked()).not.toContain("Layer height in mm");
    cell("Walls in lines", "Coarser").focus();
    await user.keyboard("3{Enter}");
    await waitFor(() => expect(held("Walls in lines", "Coarser")).toContain("3"));
    await waitFor(() => expect(walked()).toBe("Top layers in layers, Coarser"));
  });

  it("step a number up and down by what a person would choose", async () => {
    const { user } = await openBench();
    cell("Walls in lines").focus();
    await user.keyboard("{Alt>}{ArrowUp}{/Alt}");
    await waitFor(() => expect(held("Walls in lines")).toBe("3"));
    await user.keyboard("{Alt>}{ArrowDown}{ArrowDown}{/Alt}");
    await waitFor(() => expect(held("Walls in lines")).toBe("1"));
  });
});
