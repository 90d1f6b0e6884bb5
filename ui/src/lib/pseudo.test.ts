import { i18n } from "@lingui/core";
import { afterAll, describe, expect, it } from "vitest";
import { accentEverything } from "./pseudo";

const plain = i18n._.bind(i18n);
accentEverything();
afterAll(() => {
  i18n._ = plain;
});

const ACCENT = "\u0301";
const bare = (text: string) => text.replaceAll(ACCENT, "");
const said = (message: unknown, values: Record<string, unknown> = {}) => i18n._("id", values, { message } as never);

describe("the made-up language", () => {
  it("has accents on every vowel of a text, and reads the same without them", () => {
    const text = said(["Layer height"]);
    expect(bare(text)).toBe("Layer height");
    expect(text.split(ACCENT)).toHaveLength(1 + "Layer height".replace(/[^aeiou]/gi, "").length);
  });

  it("leaves what is filled in as it stands", () => {
    expect(said(["Part ", ["name"], " is gone"], { name: "Snow owl" })).toContain("Snow owl");
  });

  it("leaves marks of elements alone, or they would be none", () => {
    const text = said(["See <0>the guide</0> of it"]);
    expect(text).toContain("<0>");
    expect(text).toContain("</0>");
    expect(bare(text)).toBe("See <0>the guide</0> of it");
  });

  it("has accents in each form of a plural", () => {
    const forms = ["count", "plural", { one: ["#", " layer"], other: ["#", " layers"] }];
    for (const [count, word] of [[1, "layer"], [3, "layers"]] as const) {
      const text = said([forms], { count });
      expect(bare(text)).toBe(`${count} ${word}`);
      expect(text).toContain(ACCENT);
    }
  });
});
