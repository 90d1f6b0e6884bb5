import type { ReactNode } from "react";

interface ExplainedProps {
  /** How the figure comes about, with its numbers put in. */
  how: string;
  children: ReactNode;
  /** Where there is room for it. */
  side?: "left" | "bottom" | "top" | "start";
  /** It lies on something that is pressed as a whole, such as a card, and is to be reached all the same. */
  above?: boolean;
}

const SIDES = { left: "tooltip-left", bottom: "tooltip-bottom", top: "tooltip-top", start: "tooltip-top tooltip-start before:max-w-60 before:text-left" } as const;

/** A figure that says how it comes about under the pointer, in focus and on touch. */
export function Explained({ how, children, side = "top", above = false }: ExplainedProps) {
  return (
    <span className={`tooltip ${SIDES[side]} font-normal ${above ? "z-10" : ""}`} data-tip={how}>
      <span role="note" tabIndex={0} aria-description={how} className="cursor-help underline decoration-dotted decoration-1 underline-offset-4">
        {children}
      </span>
    </span>
  );
}
