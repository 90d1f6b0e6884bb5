import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type SubmitEvent } from "react";
import type { Part } from "../../api/client";
import { fixed, parseNumber } from "../../lib/format";
import type { PartChange } from "./savePart";

interface CutOffProps {
  part: Part;
  save: (change: PartChange, label: string) => Promise<void>;
}

const KEPT = {
  z: { above: t`what is above`, below: t`what is below` },
  x: { above: t`the right side`, below: t`the left side` },
  y: { above: t`the back`, below: t`the front` },
} as const;

/** Cut the part with a plane as it stands, and keep one side: a base that lies flat, or half of what is too large. */
export function CutOff({ part, save }: CutOffProps) {
  const [axis, setAxis] = useState<"x" | "y" | "z">("z");
  const [keep, setKeep] = useState<"above" | "below">("above");
  const [at, setAt] = useState("1");
  const [problem, setProblem] = useState("");
  const size = part.facts.extents_mm[axis];
  const [low, high] = axis === "z" ? [0, size] : [-size / 2, size / 2];
  const cut = (event: SubmitEvent) => {
    event.preventDefault();
    const at_mm = parseNumber(at);
    if (!(at_mm > low && at_mm < high)) {
      setProblem(t`Give a place inside it: over ${fixed(low, 2)} and under ${fixed(high, 2)} mm.`);
      return;
    }
    setProblem("");
    void save({ cut: { axis, at_mm, keep } }, t`cutting ${part.name}`);
  };
  const box = "select select-xs border-rule bg-base-100";
  return (
    <form onSubmit={cut}>
      <fieldset>
        <legend className="font-serif text-lg"><Trans>Cut</Trans></legend>
        <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <select className={`${box} w-32`} aria-label={t`Cut across`} value={axis} onChange={(event) => setAxis(event.target.value as "x" | "y" | "z")}>
            <option value="z">{t`at height`}</option>
            <option value="x">{t`from the left at`}</option>
            <option value="y">{t`from the front at`}</option>
          </select>
          <label>
            <input className="input input-xs w-20 border-rule bg-base-100" inputMode="decimal" aria-label={t`Place of the cut, mm`} value={at} onChange={(event) => setAt(event.target.value)} /> mm
          </label>
          <label>
            <Trans>keep</Trans>{" "}
            <select className={`${box} w-36`} value={keep} onChange={(event) => setKeep(event.target.value as "above" | "below")}>
              <option value="above">{KEPT[axis].above}</option>
              <option value="below">{KEPT[axis].below}</option>
            </select>
          </label>
          <button type="submit" className="btn btn-outline btn-xs font-normal">
            <Trans>Cut off</Trans>
          </button>
        </div>
        <p className="mt-1 text-quiet">
          <Trans>
            {axis === "z" ? t`Heights count from the bed.` : t`Places count from the part’s middle.`} Undo brings back what was cut off; for both
            halves, add the file twice.
          </Trans>
        </p>
        {problem && (
          <p role="alert" className="text-error">
            {problem}
          </p>
        )}
      </fieldset>
    </form>
  );
}
