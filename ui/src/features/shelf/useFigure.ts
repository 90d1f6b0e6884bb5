import { t } from "@lingui/core/macro";
import { useState } from "react";
import { ProblemError } from "../../api/client";
import { parseNumber, plain } from "../../lib/format";
import type { ShelfField } from "./shelfKinds";
import type { FieldValue } from "./tree";

export type Provenance = "measured" | "set" | "typical";

/** A stored value as it stands in its field. */
export function shownIn(field: ShelfField, value: unknown): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "boolean") return String(value);
  if (typeof value !== "number") return typeof value === "string" ? value : "";
  return field.kind === "percent" ? plain(value * 100) : plain(value);
}

/** What was typed, in the row's own unit; null for an empty field. Throws a sentence where it fits none. */
export function typedIn(field: ShelfField, text: string): FieldValue {
  const trimmed = text.trim();
  if (field.kind === "text") return trimmed;
  if (trimmed === "") return null;
  if (field.kind === "yesno") return trimmed === "true";
  if (field.kind === "choice" || field.kind === "date") return trimmed;
  const value = parseNumber(trimmed);
  if (Number.isNaN(value)) throw new Error(t`Type a number, such as 1000.`);
  if (field.kind === "whole" && !Number.isInteger(value)) throw new Error(t`Type a whole number.`);
  return field.kind === "percent" ? value / 100 : value;
}

/** The text, the problem and the storing of one field. */
export function useFigure(field: ShelfField, stored: unknown, save: (value: FieldValue) => Promise<void>) {
  const shown = shownIn(field, stored);
  const [typed, setTyped] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const store = async (text: string) => {
    if (text.trim() === shown) {
      setTyped(null);
      setProblem(null);
      return;
    }
    try {
      await save(typedIn(field, text));
      setTyped(null);
      setProblem(null);
    } catch (error) {
      const named = error instanceof ProblemError ? error.about(field.path.at(-1) ?? "") : undefined;
      setProblem(named ?? (error instanceof Error ? error.message : t`It could not be stored.`));
    }
  };
  const revert = () => {
    setTyped(null);
    setProblem(null);
  };
  return { text: typed ?? shown, type: setTyped, store, revert, problem };
}
