import { useState } from "react";
import type { SearchLimits, SearchStart } from "../../api/client";
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

/** The tab remembers what was asked around a column until what is usual there changes. */
export function useAsking(columnId: number, start: SearchStart): AskingState {
  const place = `meanbead.asking.${columnId}`;
  const [asking, setAsking] = useState<Asking>(() => held(place, start) ?? usual(start));
  const keep = (next: Asking) => {
    setAsking(next);
    try {
      sessionStorage.setItem(place, JSON.stringify({ start, asking: next } satisfies Held));
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
  start: SearchStart;
  asking: Asking;
}

function usual(start: SearchStart): Asking {
  return { off: [], typed: {}, limits: start.limits, against: "filament_g" };
}

function held(place: string, start: SearchStart): Asking | null {
  try {
    const found = JSON.parse(sessionStorage.getItem(place) ?? "null") as Held | null;
    return found !== null && JSON.stringify(found.start) === JSON.stringify(start) ? found.asking : null;
  } catch {
    return null; // damaged, or the tab keeps nothing
  }
}
