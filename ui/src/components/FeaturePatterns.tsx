import { CAUSES, FEATURES, patternId, type FeatureStyle, type Hatch } from "../lib/featureStyles";

const LINES: Record<Hatch, string> = {
  none: "",
  rise: "M-2,2 L2,-2 M0,8 L8,0 M6,10 L10,6",
  fall: "M-2,6 L2,10 M0,0 L8,8 M6,-2 L10,2",
  cross: "M0,0 L8,8 M0,8 L8,0",
  level: "M0,4 L8,4",
  upright: "M4,0 L4,8",
  dots: "M2,2 L2.1,2 M6,6 L6.1,6",
  sparse: "M0,8 L8,0",
};

/** Fills for SVG charts: the feature's colour under its hatch. Put it once inside an svg. */
export function FeaturePatterns() {
  return (
    <defs>
      {[...FEATURES, ...CAUSES].map((feature) => (
        <pattern key={feature.key} id={patternId(feature)} width="8" height="8" patternUnits="userSpaceOnUse">
          <rect width="8" height="8" fill={feature.colour} />
          <path
            d={LINES[feature.hatch]}
            stroke={feature.hatch === "none" ? "#ffffff" : "#1d1a17"}
            strokeOpacity={feature.hatch === "dots" ? 0.6 : 0.32}
            strokeWidth={feature.hatch === "dots" ? 1.8 : 1}
            strokeLinecap="round"
            fill="none"
          />
        </pattern>
      ))}
    </defs>
  );
}

/** A square in a feature's fill, with its letter. */
export function Swatch({ feature }: { feature: FeatureStyle }) {
  return (
    <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden="true" className="shrink-0">
      <FeaturePatterns />
      <rect x="0.5" y="0.5" width="17" height="17" fill={`url(#${patternId(feature)})`} stroke="currentColor" />
    </svg>
  );
}
