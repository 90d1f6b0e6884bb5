import { describe, expect, it } from "vitest";
import cases from "../../../tests/support/durations.json";
import {
  currencyUnit,
  fixed,
  formatDuration,
  formatDurationDifference,
  formatSaving,
  formatGrams,
  formatGramsDifference,
  formatMoney,
  formatMoneyDifference,
  moment,
  parseNumber,
  percentDifference,
  plain,
  setCurrency,
  signed,
} from "./format";

describe("durations", () => {
  // The core is held to the same cases: tests/core/text/test_durations.py.
  it.each(cases as [number, string][])("%d s are %s", (seconds, text) => expect(formatDuration(seconds)).toBe(text));

  it("tells differences with a sign, and none as the same", () => {
    expect(formatDurationDifference(-3900)).toBe("−1 h 05");
    expect(formatDurationDifference(20)).toBe("+20 s");
    expect(formatDurationDifference(0.3)).toBe("same");
    expect([-62, 119.4, -150, 3].map(formatSaving)).toEqual(["−62 s", "+119 s", "−3 min", "+3 s"]);
  });
});

describe("numbers", () => {
  it("have no minus zero", () => {
    expect(fixed(-0.04, 1)).toBe("0.0");
    expect(signed(-0.04, 1)).toBe("same");
    expect(signed(-1.26, 1)).toBe("−1.3");
  });

  it("lose needless zeros", () => {
    expect([0.2, 45, 0.4400001].map(plain)).toEqual(["0.2", "45", "0.44"]);
  });

  it("are grams to a tenth and money to hundredths", () => {
    expect(formatGrams(12.345)).toBe("12.3 g");
    expect(formatGramsDifference(-12.345)).toBe("−12.3 g");
    expect(formatGramsDifference(0.01)).toBe("same");
    expect(formatMoney(1.25 + 1)).toBe("€2.25");
    setCurrency("JPY");
    expect(formatMoney(1234.4)).toBe("¥1,234");
    expect(currencyUnit()).toBe("¥");
    setCurrency("EUR");
    expect(formatMoneyDifference(-0.5)).toBe("−€0.50");
    expect(formatMoneyDifference(0.001)).toBe("same");
  });

  it("tell shares of a difference, and nothing where there is nothing to compare with", () => {
    expect(percentDifference(82, 100)).toBe("−18 %");
    expect(percentDifference(100.2, 100)).toBe("");
    expect(percentDifference(5, 0)).toBe("");
  });

  it.each([
    ["0,2", 0.2],
    [" 0.2 mm ", 0.2],
    ["45°", 45],
    ["15 %", 15],
    ["5 mm³/s", 5],
  ])("reads %s", (text, value) => expect(parseNumber(text)).toBe(value));

  it("reads no number out of words", () => {
    expect(parseNumber("")).toBeNaN();
    expect(parseNumber("wide")).toBeNaN();
    expect(parseNumber("1e")).toBe(1);
  });
});

describe("a moment", () => {
  const now = new Date(2026, 10, 26, 15, 0);
  it("says as much as is needed", () => {
    expect(moment(new Date(2026, 10, 26, 14, 59, 30), now)).toBe("just now");
    expect(moment(new Date(2026, 10, 26, 9, 5), now)).toMatch(/05/);
    expect(moment(new Date(2026, 10, 26, 9, 5), now)).not.toMatch(/26/);
    expect(moment(new Date(2026, 10, 20, 9, 5), now)).toMatch(/20.*05/);
    expect(moment(new Date(2027, 11, 24, 9, 5), now)).toMatch(/24.*2027/);
  });
});
