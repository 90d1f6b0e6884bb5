import type { Strand } from "./strands";

const PATHS: Record<Strand, string> = {
  straight: "M10 2 V30",
  curl: "M10 2 V16 Q10 28 17 26",
  corkscrew: "M10 2 Q16 6 10 9 Q4 12 10 15 Q16 18 10 21 Q4 24 10 28",
  beaded: "M10 2 V30 M10 7 h0.01 M10 16 h0.01 M10 25 h0.01",
  skips: "M10 2 V12 M10 16 V30",
  skips_throughout: "M10 2 V5 M10 9 V12 M10 16 V19 M10 23 V26",
};

/** How a strand looks, drawn: ours, in one line. */
export function StrandMark({ strand }: { strand: Strand }) {
  return (
    <svg width="20" height="32" viewBox="0 0 20 32" aria-hidden="true" fill="none" stroke="currentColor" strokeLinecap="round" strokeWidth="2.4">
      <path d={PATHS[strand]} />
      {strand === "beaded" && <path d="M10 7 h0.01 M10 16 h0.01 M10 25 h0.01" strokeWidth="7" />}
    </svg>
  );
}
