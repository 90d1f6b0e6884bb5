import { describe, expect, it } from "vitest";
import { asCsv, asTabs, plainText } from "./tables";

describe("tables as text", () => {
  it("are one line a row, with a minus that counts", () => {
    expect(plainText("  −46 min\n −17 % ")).toBe("-46 min -17 %");
    expect(asTabs([["a\tb", "c"], ["1", "-2"]])).toBe("a b\tc\n1\t-2");
  });

  it("come back as they were from CSV", () => {
    const rows = [["Row", 'with "quotes"', "a, b"], ["-46 min", "+3.1", "two\nlines"]];
    const text = asCsv(rows);
    // Read back by the rules of RFC 4180, apart from the writer.
    const cells = [...text.matchAll(/(?:"((?:[^"]|"")*)"|([^,\r\n]*))(,|\r\n)/g)].map((found) => (found[1] ?? found[2] ?? "").replace(/""/g, '"'));
    expect(cells).toEqual(rows.flat());
  });

  it("hold no formula", () => {
    expect(asCsv([["=1+1", "@x", "-cmd", "-5 %", "+3"]])).toBe("'=1+1,'@x,'-cmd,-5 %,+3\r\n");
  });
});
