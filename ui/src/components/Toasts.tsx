import { t } from "@lingui/core/macro";
import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";

interface Toast {
  id: number;
  text: string;
  action?: { label: string; run: () => void };
  tone: "note" | "error";
}

type Show = (text: string, options?: { action?: Toast["action"]; tone?: Toast["tone"] }) => void;

/** How long a note stays; longer where something can be done about it. */
const SHOWN_MS = 9000;
const WITH_ACTION_MS = 30_000;

const ToastContext = createContext<Show>(() => undefined);

/** Short messages at the foot of the page; errors stay until dismissed, and none goes under a hand that is on it. */
export function useToast(): Show {
  return useContext(ToastContext);
}

let last = 0;

export function ToastProvider({ children }: { children: ReactNode }) {
  const [toasts, setToasts] = useState<Toast[]>([]);
  const drop = useCallback((id: number) => setToasts((all) => all.filter((toast) => toast.id !== id)), []);
  const foot = useRef<HTMLDivElement>(null);
  const dropLater = useCallback(
    (id: number, milliseconds: number) => {
      const look = () => {
        if (foot.current?.matches(":hover, :focus-within")) setTimeout(look, 1000);
        else drop(id);
      };
      setTimeout(look, milliseconds);
    },
    [drop],
  );
  const show = useCallback<Show>(
    (text, options = {}) => {
      const toast: Toast = { id: ++last, text, tone: options.tone ?? "note", action: options.action };
      setToasts((all) => [...all.slice(-2), toast]);
      if (toast.tone === "note") dropLater(toast.id, toast.action ? WITH_ACTION_MS : SHOWN_MS);
    },
    [dropLater],
  );
  const shown = useMemo(() => toasts, [toasts]);
  return (
    <ToastContext value={show}>
      {children}
      <div ref={foot} className="toast toast-end z-50 max-w-full whitespace-normal" aria-live="polite" role="status">
        {shown.map((toast) => (
          <div
            key={toast.id}
            className={`flex items-center gap-3 rounded-box border px-3 py-2 text-sm shadow-lg ${
              toast.tone === "error"
                ? "border-error bg-base-100 text-error"
                : "border-neutral bg-neutral text-neutral-content"
            }`}
          >
            <span className="max-w-md">{toast.text}</span>
            {toast.action && (
              <button
                type="button"
                className="btn btn-xs"
                onClick={() => {
                  toast.action?.run();
                  drop(toast.id);
                }}
              >
                {toast.action.label}
              </button>
            )}
            <button type="button" className="btn btn-ghost btn-xs" aria-label={t`Dismiss`} onClick={() => drop(toast.id)}>
              ×
            </button>
          </div>
        ))}
      </div>
    </ToastContext>
  );
}
