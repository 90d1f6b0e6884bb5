import { expect, it } from "vitest";
import { valueOf, withValues } from "./dotted";

it("reads and writes values at dotted names, and leaves the original as it was", () => {
  const printer = { speed: { x: 200, y: 100 }, drive: "direct" };
  expect(valueOf(printer, "speed.y")).toBe(100);
  expect(valueOf(printer, "corner.law")).toBeUndefined();
  const changed = withValues(printer, [["speed.y", 150], ["corner.law", "jerk"], ["drive", undefined]]);
  expect(changed).toEqual({ speed: { x: 200, y: 150 }, corner: { law: "jerk" } });
  expect(printer).toEqual({ speed: { x: 200, y: 100 }, drive: "direct" });
});
