import { useState } from "react";
import type { RecipeColumn, SearchLimits, SearchStart } from "../../api/client";
import type { Against } from "./frontier";

/** What a person has said of a search: which settings stay, which values were typed, which limits hold. */
export interface Asking {
  off: readonly string[];
  typed: Readonly<Partial<Record<string, string>>>;
  limits: SearchLimits;
  against: Against;
}

export interface AskingState extends Asking {
  /** Whether anything is asked otherwise than usual. */
  changed: boolean;
  change: (part: Partial<Asking>) => void;
  asUsual: () => void;
}

/**
 * The tab remembers what was asked around a column until the column, or what is usual there, changes: a limit such as the
 * strength of a column is that of the column as it was.
 */
export function useAsking(column: RecipeColumn, start: SearchStart): AskingState {
  const place = `meanbead.asking.${column.id}`;
  const of = JSON.stringify([column.version, column.part_digest, column.inputs, start]);
  const [asking, setAsking] = useState<Asking>(() => held(place, of) ?? usual(start));
  const keep = (next: Asking) => {
    setAsking(next);
    try {
      sessionStorage.setItem(place, JSON.stringify({ of, asking: next } satisfies Held));
    } catch {
      // the tab keeps nothing: what was typed holds until the page is loaded anew
    }
  };
  return {
    ...asking,
    changed: JSON.stringify(asking) !== JSON.stringify(usual(start)),
    change: (part) => keep({ ...asking, ...part }),
    asUsual: () => keep(usual(start)),
  };
}

interface Held {
  of: string;
  asking: Asking;
}

function usual(start: SearchStart): Asking {
  return { off: [], typed: {}, limits: start.limits, against: "filament_g" };
}

function held(place: string, of: string): Asking | null {
  try {
    const found = JSON.parse(sessionStorage.getItem(place) ?? "null") as Held | null;
    return found?.of === of ? found.asking : null;
  } catch {
    return null; // damaged, or the tab keeps nothing
  }
}
