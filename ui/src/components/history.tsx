import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import { ProblemError } from "../api/client";
import { historyAct } from "../lib/keys";
import { useToast } from "./Toasts";

/** Something that can be undone and done again. */
export interface Step {
  label: string;
  undo: () => Promise<void>;
  redo: () => Promise<void>;
}

export interface History {
  push: (step: Step) => void;
  undo: () => Promise<void>;
  /** Undo one step, wherever it stands by now; nothing when it was undone already. */
  undoStep: (step: Step) => Promise<void>;
  redo: () => Promise<void>;
  undoLabel: string | undefined;
  redoLabel: string | undefined;
}

const nothing = () => Promise.resolve();
const HistoryContext = createContext<History>({
  push: () => undefined,
  undo: nothing,
  undoStep: nothing,
  redo: nothing,
  undoLabel: undefined,
  redoLabel: undefined,
});

/** Undo and redo of the whole visit, whatever page a step was made on. */
export function useHistory(): History {
  return useContext(HistoryContext);
}

/** Keeps the visit's steps. One at a time: a second press waits for the first. Ctrl+Z and Ctrl+Shift+Z work anywhere. */
export function HistoryProvider({ children }: { children: ReactNode }) {
  const past = useRef<Step[]>([]);
  const future = useRef<Step[]>([]);
  const busy = useRef<Promise<void>>(Promise.resolve());
  const [labels, setLabels] = useState<{ undo?: string; redo?: string }>({});
  const toast = useToast();

  const refresh = useCallback(() => {
    setLabels({ undo: past.current.at(-1)?.label, redo: future.current.at(-1)?.label });
  }, []);

  const push = useCallback(
    (step: Step) => {
      past.current.push(step);
      future.current = [];
      refresh();
    },
    [refresh],
  );

  const move = useCallback(
    (stacks: () => [Step[], Step[]], run: (step: Step) => Promise<void>, wanted?: Step) => {
      busy.current = busy.current.then(async () => {
        const [from, to] = stacks();
        const at = wanted === undefined ? from.length - 1 : from.indexOf(wanted);
        const step = from[at];
        if (step === undefined) return;
        try {
          await run(step);
          from.splice(from.indexOf(step), 1);
          to.push(step);
        } catch (error) {
          // A step that was refused for good would bar the way to those before it; one without an answer can be tried again.
          if (error instanceof ProblemError && error.isFinal) from.splice(from.indexOf(step), 1);
          toast(error instanceof Error ? error.message : t`It could not be undone.`, { tone: "error" });
        } finally {
          refresh();
        }
      });
      return busy.current;
    },
    [refresh, toast],
  );

  const undo = useCallback(() => move(() => [past.current, future.current], (step) => step.undo()), [move]);
  const undoStep = useCallback(
    (wanted: Step) => move(() => [past.current, future.current], (step) => step.undo(), wanted),
    [move],
  );
  const redo = useCallback(() => move(() => [future.current, past.current], (step) => step.redo()), [move]);

  useEffect(() => {
    const key = (event: globalThis.KeyboardEvent) => {
      const act = historyAct(event);
      if (act === null) return;
      // A text that is being typed has an undo of its own.
      const { target } = event;
      const typing =
        target instanceof HTMLTextAreaElement ||
        (target instanceof HTMLInputElement && !["radio", "checkbox", "range", "button"].includes(target.type));
      if (typing) return;
      event.preventDefault();
      void (act === "redo" ? redo() : undo());
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [undo, redo]);

  const history = useMemo(
    () => ({ push, undo, undoStep, redo, undoLabel: labels.undo, redoLabel: labels.redo }),
    [push, undo, undoStep, redo, labels],
  );
  return <HistoryContext value={history}>{children}</HistoryContext>;
}

/** The two buttons; what they would do stands in their titles. */
export function UndoButtons() {
  const { undo, redo, undoLabel, redoLabel } = useHistory();
  const style = "btn btn-ghost btn-xs";
  return (
    <div className="flex">
      <button
        type="button"
        className={style}
        disabled={undoLabel === undefined}
        onClick={() => void undo()}
        title={undoLabel && t`Undo ${undoLabel} (Ctrl+Z)`}
      >
        <Trans>Undo</Trans>
      </button>
      <button
        type="button"
        className={style}
        disabled={redoLabel === undefined}
        onClick={() => void redo()}
        title={redoLabel && t`Do ${redoLabel} again (Ctrl+Shift+Z)`}
      >
        <Trans>Redo</Trans>
      </button>
    </div>
  );
}
