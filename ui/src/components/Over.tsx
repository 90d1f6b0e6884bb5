import { Trans } from "@lingui/react/macro";
import { useEffect, useRef, type ReactNode } from "react";

interface OverProps {
  title: string;
  /** What stands small behind the title. */
  of?: string;
  onClose: () => void;
  children: ReactNode;
}

/** A sheet that lies over the right half of the page, for a list that is too long to stand there always; Escape puts it away. */
export function Over({ title, of, onClose, children }: OverProps) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const shown = dialog.current;
    if (shown && !shown.open) shown.showModal();
  }, []);
  return (
    <dialog
      ref={dialog}
      aria-label={of ? `${title}, ${of}` : title}
      className="fixed inset-y-0 left-auto right-0 m-0 h-dvh max-h-dvh w-full max-w-[46rem] overflow-y-auto border-l border-rule bg-base-100 p-5 text-base-content shadow-2xl backdrop:bg-black/30"
      onClose={onClose}
      onClick={(event) => {
        if (event.target === dialog.current) dialog.current.close();
      }}
    >
      <div className="sticky -top-5 z-10 -mx-5 -mt-5 mb-3 flex items-baseline gap-3 border-b border-rule bg-base-100 px-5 py-3">
        <h2 className="font-serif text-2xl">
          {title} {of && <span className="text-base text-quiet">{of}</span>}
        </h2>
        <button type="button" className="btn btn-ghost btn-sm ml-auto" onClick={() => dialog.current?.close()}>
          <Trans>Close <kbd className="kbd kbd-xs">Esc</kbd></Trans>
        </button>
      </div>
      {children}
    </dialog>
  );
}
