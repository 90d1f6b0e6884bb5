import { describe, expect, it } from "vitest";
import { keep, letGo, readPending, sendPending, type Pending } from "./pending";

function shelf(start = ""): Pick<Storage, "getItem" | "setItem"> {
  let held: string | null = start || null;
  return { getItem: () => held, setItem: (_key, value) => void (held = value) };
}

const entry = (key: string): Pending => ({ key, testId: 1, point: { flow_mm3_s: 8, temp_c: 215, fan: 0, used: true }, refused: "" });

describe("entries that wait", () => {
  it("are kept in order, replaced by key, and survive what cannot be read", () => {
    const place = shelf();
    keep(place, entry("a"));
    keep(place, entry("b"));
    keep(place, { ...entry("a"), testId: 2 });
    expect(readPending(place).map((one) => [one.key, one.testId])).toEqual([["b", 1], ["a", 2]]);
    letGo(place, "b");
    expect(readPending(place).map((one) => one.key)).toEqual(["a"]);
    expect(readPending(shelf("{broken"))).toEqual([]);
  });

  it("stay while nothing answers, go once stored, and are sent in order", async () => {
    const place = shelf();
    for (const key of ["a", "b", "c"]) keep(place, entry(key));
    const sent: string[] = [];
    const stored = await sendPending(place, (one) => {
      sent.push(one.key);
      return Promise.resolve(one.key === "b" ? ("away" as const) : ("stored" as const));
    });
    expect(stored).toBe(true);
    expect(sent).toEqual(["a", "b"]);
    expect(readPending(place).map((one) => one.key)).toEqual(["b", "c"]);
  });

  it("that are refused say why and are not sent again", async () => {
    const place = shelf();
    keep(place, entry("a"));
    let asked = 0;
    const send = () => {
      asked += 1;
      return Promise.resolve({ refused: "too heavy" });
    };
    await sendPending(place, send);
    await sendPending(place, send);
    expect(asked).toBe(1);
    expect(readPending(place)[0]?.refused).toBe("too heavy");
  });
});
