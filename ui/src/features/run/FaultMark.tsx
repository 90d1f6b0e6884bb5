import { FAULT_DRAWINGS } from "./faultDrawings";

/** How a fault looks, drawn: the piece in thin lines, the fault in thick ones. */
export function FaultMark({ fault, size = 40 }: { fault: string; size?: number }) {
  const drawing = FAULT_DRAWINGS[fault];
  if (drawing === undefined) return null;
  return (
    <svg width={size} height={size} viewBox="0 0 40 40" aria-hidden="true" className="shrink-0" fill="none" strokeLinecap="round" strokeLinejoin="round">
      <path d={drawing.soft} stroke="currentColor" strokeWidth="1.2" opacity="0.75" />
      <path d={drawing.hard} stroke="var(--molten)" strokeWidth="2.4" />
      {drawing.filled && <path d={drawing.filled} fill="var(--molten)" />}
    </svg>
  );
}
