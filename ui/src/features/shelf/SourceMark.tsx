import { t } from "@lingui/core/macro";
import type { Provenance } from "./useFigure";

const NEXT: Record<Provenance, Provenance> = { typical: "set", set: "measured", measured: "typical" };
const WHAT: Record<Provenance, string> = {
  typical: t`typical: what such things usually have`,
  set: t`set: somebody here typed it`,
  measured: t`measured here, or told by the machine itself`,
};

const WORD: Record<Provenance, string> = { typical: t`typical`, set: t`set`, measured: t`measured` };

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
      title={t`${WHAT[source]}. Click: ${WORD[NEXT[source]]}`}
      aria-label={t`${of} is ${WORD[source]}; say ${WORD[NEXT[source]]}`}
      onClick={() => onChange(NEXT[source])}
    >
      {WORD[source]}
    </button>
  );
}
