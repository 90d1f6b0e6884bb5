import { useCallback, useState } from "react";

const KEY = "meanbead.open-groups";

/** Which groups of the sheet show all their rows; kept on this device. */
export function useOpenGroups(): { opened: ReadonlySet<string>; toggle: (group: string) => void } {
  const [opened, setOpened] = useState<ReadonlySet<string>>(stored);
  const toggle = useCallback((group: string) => {
    setOpened((before) => {
      const after = new Set(before);
      if (!after.delete(group)) after.add(group);
      localStorage.setItem(KEY, JSON.stringify([...after]));
      return after;
    });
  }, []);
  return { opened, toggle };
}

function stored(): ReadonlySet<string> {
  try {
    const groups: unknown = JSON.parse(localStorage.getItem(KEY) ?? "[]");
    return new Set(Array.isArray(groups) ? groups.filter((one) => typeof one === "string") : []);
  } catch {
    return new Set();
  }
}
