import type { Provenance } from "./useFigure";

const NEXT: Record<Provenance, Provenance> = { typical: "set", set: "measured", measured: "typical" };
const WHAT: Record<Provenance, string> = {
  typical: "typical: what such things usually have",
  set: "set: somebody here typed it",
  measured: "measured here, or told by the machine itself",
};

interface SourceMarkProps {
  source: Provenance;
  of: string;
  onChange: (source: Provenance) => void;
}

/** Where a figure comes from; a click says otherwise. */
export function SourceMark({ source, of, onChange }: SourceMarkProps) {
  const style = {
    typical: "border-dotted text-quiet",
    set: "border-solid",
    measured: "border-solid border-molten font-semibold text-molten",
  }[source];
  return (
    <button
      type="button"
      className={`min-h-6 w-[4.6rem] cursor-pointer border-b px-0.5 text-left text-xs ${style}`}
      title={`${WHAT[source]}. Click: ${NEXT[source]}`}
      aria-label={`${of} is ${source}; say ${NEXT[source]}`}
      onClick={() => onChange(NEXT[source])}
    >
      {source}
    </button>
  );
}
