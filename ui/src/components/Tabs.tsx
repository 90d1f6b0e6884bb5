import { useId, type KeyboardEvent, type ReactNode } from "react";

export interface Tab<Key extends string> {
  key: Key;
  name: string;
  /** The key that goes there from anywhere on the page, as it is written. */
  press?: string;
}

interface TabsProps<Key extends string> {
  label: string;
  tabs: readonly Tab<Key>[];
  shown: Key;
  onShow: (key: Key) => void;
  /** What stands at the row's end. */
  beside?: ReactNode;
  children: ReactNode;
}

/** Faces of one area: a row of tabs, arrows between them, and the face that is shown. */
export function Tabs<Key extends string>({ label, tabs, shown, onShow, beside, children }: TabsProps<Key>) {
  const id = useId();
  const go = (event: KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    const at = tabs.findIndex((tab) => tab.key === shown);
    const next = tabs[(at + step + tabs.length) % tabs.length];
    if (next === undefined) return;
    onShow(next.key);
    document.getElementById(`${id}-${next.key}`)?.focus();
  };
  return (
    <div>
      <div className="flex flex-wrap items-center gap-x-3 border-b border-rule">
        <div role="tablist" aria-label={label} className="flex flex-wrap gap-x-1" onKeyDown={go}>
          {tabs.map((tab) => (
            <button
              key={tab.key}
              id={`${id}-${tab.key}`}
              type="button"
              role="tab"
              aria-selected={tab.key === shown}
              aria-controls={`${id}-face`}
              tabIndex={tab.key === shown ? 0 : -1}
              title={tab.press && `${tab.name} (${tab.press})`}
              className={`-mb-px min-h-8 cursor-pointer border-b-2 px-2 font-serif text-lg ${tab.key === shown ? "border-molten" : "border-transparent text-quiet hover:border-rule"}`}
              onClick={() => onShow(tab.key)}
            >
              {tab.name}
            </button>
          ))}
        </div>
        {beside}
      </div>
      <div id={`${id}-face`} role="tabpanel" aria-labelledby={`${id}-${shown}`} className="pt-2">
        {children}
      </div>
    </div>
  );
}
