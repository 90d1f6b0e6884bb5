import { t } from "@lingui/core/macro";
import { useEffect, useId, useRef, useState, type KeyboardEvent } from "react";
import { useMayChange } from "../../api/account";
import { cellAct, editorAct } from "../../lib/keys";
import { focusLater } from "./focusLater";

interface CellProps {
  /** Names the cell for those who cannot see it: row and column. */
  label: string;
  shown: string;
  /** True where the value follows from others instead of being chosen. */
  open: boolean;
  differs: boolean;
  note?: string;
  options?: { value: string; label: string }[];
  value?: string;
  marked?: boolean;
  tabIndex: number;
  register: (element: HTMLElement | null) => void;
  onFocus: () => void;
  onMove: (rows: number, columns: number, extend?: boolean) => void;
  /** A step up or down, with Alt and an arrow. */
  onStep?: (direction: number) => void;
  onDraft?: (text: string | null) => void;
  /** Resolves when stored; rejects with the sentence to show. */
  onCommit: (text: string) => Promise<void>;
}

/** One editable cell. Type or Enter edits, Enter stores, Escape reverts, an empty cell returns to its default. */
export function Cell(props: CellProps) {
  const [text, setText] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const own = useRef<HTMLElement | null>(null);
  const box = useRef<HTMLDivElement>(null);
  const done = useRef(false);
  /** What the cell holds; names of what it points at may come later, or change, without its being another. */
  const held = props.value ?? props.shown;
  /** What it held when one began to type: somebody else may change it meanwhile. */
  const began = useRef("");
  const message = useId();
  const editing = text !== null;

  const mayChange = useMayChange();
  const begin = (start: string) => {
    if (!mayChange) return;
    done.current = false;
    began.current = held;
    setProblem(null);
    setText(start);
  };
  const end = () => {
    done.current = true;
    setText(null);
    setProblem(null);
    props.onDraft?.(null);
  };
  const refocus = () => focusLater(() => own.current);

  const commit = async (value: string, then: () => void) => {
    if (done.current || busy) return;
    if (value === held || (props.open && value.trim() === props.shown)) {
      end();
      then();
      return;
    }
    // A default that follows from one's own last edit is nobody else's.
    if (!props.open && held !== began.current) {
      began.current = held;
      setProblem(t`Somebody else changed this in between: it is ${props.shown || t`empty`} now. Enter keeps yours, Escape theirs.`);
      return;
    }
    setBusy(true);
    try {
      await props.onCommit(value);
      // Whoever has gone on to another cell meanwhile must not be pulled out of it.
      const stayed = box.current?.contains(document.activeElement) === true || document.activeElement === document.body;
      end();
      if (stayed) then();
    } catch (error) {
      setProblem(error instanceof Error ? error.message : t`It could not be stored.`);
    } finally {
      setBusy(false);
    }
  };

  const keyWhileShown = (event: KeyboardEvent) => {
    const act = cellAct(event, { picks: props.options !== undefined, steps: props.onStep !== undefined });
    if (act === null) return;
    event.preventDefault();
    if (act.act === "step") props.onStep?.(act.direction);
    else if (act.act === "move") props.onMove(act.rows, act.columns, act.extend);
    else if (act.act === "edit") begin(held);
    else {
      begin(act.text);
      if (act.text !== "") props.onDraft?.(act.text);
    }
  };

  const keyWhileEditing = (event: KeyboardEvent<HTMLInputElement | HTMLSelectElement>) => {
    const act = editorAct(event, { picks: props.options !== undefined });
    if (act === null) return;
    event.preventDefault();
    if (act.act === "revert") {
      end();
      refocus();
    } else {
      void commit(event.currentTarget.value, () => props.onMove(act.rows, act.columns));
    }
  };

  if (!editing) {
    return (
      <div className="relative h-full">
      <button
        type="button"
        ref={(element) => {
          own.current = element;
          props.register(element);
        }}
        tabIndex={props.tabIndex}
        aria-label={`${props.label}: ${props.shown || t`empty`}${props.open ? t`, default` : ""}${props.differs ? t`, differs from the first` : ""}`}
        aria-description={props.note}
        aria-disabled={!mayChange || undefined}
        className={`flex h-full min-h-[27px] w-full ${mayChange ? "cursor-text" : "cursor-default"} items-center gap-1.5 px-2 text-left hover:bg-base-200 ${
          props.open ? "text-quiet" : ""
        } ${props.differs ? "font-semibold" : ""} ${props.marked ? "bg-molten-wash" : ""}`}
        onClick={() => begin(held)}
        onFocus={props.onFocus}
        onKeyDown={keyWhileShown}
      >
        <span
          aria-hidden="true"
          className={`h-4 w-[3px] shrink-0 rounded-full ${props.differs ? "bg-molten" : "bg-transparent"}`}
        />
        <span className="truncate">{props.shown}</span>
      </button>
      {/* Beside the button, not in it: the name of the cell is its value. */}
      {props.note && (
        <span
          aria-hidden="true"
          className="pointer-events-none absolute inset-y-0 right-2 flex items-center text-xs text-quiet"
        >
          {props.note}
        </span>
      )}
      </div>
    );
  }
  return (
    <div className="relative" ref={box}>
      {props.options ? (
        <Picker
          label={props.label}
          options={props.options}
          value={text}
          onKey={keyWhileEditing}
          onFocus={props.onFocus}
          onPick={(value) => void commit(value, refocus)}
          onLeave={end}
        />
      ) : (
        <Typing
          label={props.label}
          value={text}
          invalid={problem !== null}
          describedBy={problem ? message : undefined}
          busy={busy}
          onFocus={props.onFocus}
          onKey={keyWhileEditing}
          onType={(value) => {
            setText(value);
            setProblem(null);
            props.onDraft?.(value);
          }}
          onLeave={(value) => void commit(value, () => undefined)}
        />
      )}
      {problem && (
        <p
          id={message}
          role="alert"
          className="absolute left-0 top-full z-20 w-64 border border-error bg-base-100 p-2 text-sm text-error shadow-lg"
        >
          {problem}
        </p>
      )}
    </div>
  );
}

const EDITOR = "h-[27px] w-full border-2 border-molten bg-base-100 px-1.5 outline-none";

function Typing(props: {
  label: string;
  value: string;
  invalid: boolean;
  describedBy: string | undefined;
  busy: boolean;
  onFocus: () => void;
  onKey: (event: KeyboardEvent<HTMLInputElement>) => void;
  onType: (value: string) => void;
  onLeave: (value: string) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    const element = input.current;
    if (element === null) return;
    element.focus();
    // A value that was there is marked, so that typing replaces it; a first typed key is kept.
    if (element.value.length > 1) element.select();
  }, []);
  return (
    <input
      ref={input}
      className={EDITOR}
      aria-label={props.label}
      aria-invalid={props.invalid}
      aria-describedby={props.describedBy}
      aria-busy={props.busy}
      autoComplete="off"
      spellCheck={false}
      value={props.value}
      onFocus={props.onFocus}
      onChange={(event) => props.onType(event.target.value)}
      onKeyDown={props.onKey}
      onBlur={(event) => props.onLeave(event.target.value)}
    />
  );
}

function Picker(props: {
  label: string;
  options: { value: string; label: string }[];
  value: string;
  onFocus: () => void;
  onKey: (event: KeyboardEvent<HTMLSelectElement>) => void;
  onPick: (value: string) => void;
  onLeave: () => void;
}) {
  const [value, setValue] = useState(props.value);
  const byKey = useRef(false);
  const select = useRef<HTMLSelectElement>(null);
  useEffect(() => select.current?.focus(), []);
  return (
    <select
      ref={select}
      className={EDITOR}
      aria-label={props.label}
      value={value}
      onFocus={props.onFocus}
      onMouseDown={() => {
        byKey.current = false;
      }}
      onKeyDown={(event) => {
        byKey.current = true;
        props.onKey(event);
      }}
      onChange={(event) => {
        setValue(event.target.value);
        // Arrow keys pass through options on the way; Enter settles. A mouse has chosen when it has clicked.
        if (!byKey.current) props.onPick(event.target.value);
      }}
      onBlur={() => (value === props.value ? props.onLeave() : props.onPick(value))}
    >
      {props.options.map((option) => (
        <option key={option.value} value={option.value}>
          {option.label}
        </option>
      ))}
    </select>
  );
}
