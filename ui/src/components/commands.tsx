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

interface Commands {
  all: readonly Command[];
  put: (owner: symbol, commands: readonly Command[]) => void;
}

const CommandsContext = createContext<Commands>({ all: [], put: () => undefined });

/** All that can be done on the page just now. */
export function useAllCommands(): readonly Command[] {
  return useContext(CommandsContext).all;
}

/** Offer commands while a component is there; `commands` must be kept by whoever makes them (useMemo). */
export function useCommands(commands: readonly Command[]): void {
  const { put } = useContext(CommandsContext);
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
  const put = useCallback((owner: symbol, commands: readonly Command[]) => {
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
  const value = useMemo(() => ({ all, put }), [all, put]);
  return <CommandsContext value={value}>{children}</CommandsContext>;
}
