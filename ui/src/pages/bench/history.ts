import { useCallback, useMemo, useRef, useState } from "react";

/** Something that can be undone and done again. */
export interface Step {
  label: string;
  undo: () => Promise<void>;
  redo: () => Promise<void>;
}

export interface History {
  push: (step: Step) => void;
  undo: () => Promise<void>;
  redo: () => Promise<void>;
  undoLabel: string | undefined;
  redoLabel: string | undefined;
}

/** Undo and redo for a visit. One step at a time: a second press waits for the first. */
export function useHistory(): History {
  const past = useRef<Step[]>([]);
  const future = useRef<Step[]>([]);
  const busy = useRef<Promise<void>>(Promise.resolve());
  const [labels, setLabels] = useState<{ undo?: string; redo?: string }>({});

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
    (from: Step[], to: Step[], run: (step: Step) => Promise<void>) => {
      busy.current = busy.current.then(async () => {
        const step = from.pop();
        if (step === undefined) return;
        try {
          await run(step);
          to.push(step);
        } finally {
          refresh();
        }
      });
      return busy.current;
    },
    [refresh],
  );

  const undo = useCallback(() => move(past.current, future.current, (step) => step.undo()), [move]);
  const redo = useCallback(() => move(future.current, past.current, (step) => step.redo()), [move]);
  return useMemo(
    () => ({ push, undo, redo, undoLabel: labels.undo, redoLabel: labels.redo }),
    [push, undo, redo, labels],
  );
}
