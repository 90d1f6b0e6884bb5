import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import { isTyping, presses } from "../lib/keys";

/** Something that can be done on the page as it stands: by its key, or from the palette by its name. */
export interface Command {
  name: string;
  /** What it belongs to, such as the page or the column in focus. */
  group: string;
  /** Its key as it is written: "Alt+N", "?". */
  press?: string;
  /** Other words by which people may look for it. */
  words?: string;
  run: () => void;
}

type Put = (owner: symbol, commands: readonly Command[]) => void;

// Apart, so that whoever only offers commands is not drawn anew when another offers some.
const PutContext = createContext<Put>(() => undefined);
const AllContext = createContext<readonly Command[]>([]);

/** All that can be done on the page just now. */
export function useAllCommands(): readonly Command[] {
  return useContext(AllContext);
}

/** Offer commands while a component is there; `commands` must be kept by whoever makes them (useMemo). */
export function useCommands(commands: readonly Command[]): void {
  const put = useContext(PutContext);
  const owner = useRef(Symbol("commands"));
  useEffect(() => {
    const mine = owner.current;
    put(mine, commands);
    return () => put(mine, []);
  }, [put, commands]);
}

/** Whether a key writes something where somebody types: plain signs do, and on Apple's keyboards those with Option. */
function types(press: string): boolean {
  return !press.includes("+") || (press.startsWith("Alt") && navigator.userAgent.includes("Mac"));
}

/** Keeps what pages offer, and listens for its keys. */
export function CommandsProvider({ children }: { children: ReactNode }) {
  const [lists, setLists] = useState<ReadonlyMap<symbol, readonly Command[]>>(new Map());
  const put = useCallback<Put>((owner, commands) => {
    setLists((now) => {
      const next = new Map(now);
      if (commands.length > 0) next.set(owner, commands);
      else next.delete(owner);
      return next;
    });
  }, []);
  const all = useMemo(() => [...lists.values()].flat(), [lists]);
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (event.defaultPrevented || event.repeat) return;
      // A dialog that lies over the page has keys of its own; a field keeps those that write.
      if (document.querySelector("dialog[open]")) return;
      const command = all.find((one) => one.press !== undefined && presses(event, one.press));
      if (command?.press === undefined || (isTyping(event.target) && types(command.press))) return;
      event.preventDefault();
      command.run();
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, [all]);
  return (
    <PutContext value={put}>
      <AllContext value={all}>{children}</AllContext>
    </PutContext>
  );
}
