import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type SubmitEvent } from "react";
import type { Part } from "../../api/client";
import type { PartChange } from "./savePart";
import { fixed, parseNumber, plain } from "../../lib/format";
import { CutOff } from "./CutOff";
import { posed, scaled, turned } from "./pose";

interface TurnAndSizeProps {
  part: Part;
  save: (change: PartChange, label: string) => Promise<void>;
}

type Axis = "x" | "y" | "z";
const AXES: readonly Axis[] = ["x", "y", "z"];
const ACROSS: Record<Axis, string> = { x: t`left to right`, y: t`front to back`, z: t`upwards` };

/** Turn by typed angles, scale by percent or to a wanted size, mirror, take the file's unit for another. */
export function TurnAndSize({ part, save }: TurnAndSizeProps) {
  const [degrees, setDegrees] = useState("90");
  const [percent, setPercent] = useState("100");
  const [size, setSize] = useState<{ axis: Axis; text: string } | null>(null);
  const [alone, setAlone] = useState(false);
  const [problem, setProblem] = useState("");
  const extents = part.facts.extents_mm;

  const apply = (change: ReturnType<typeof scaled>, label: string) => {
    setProblem("");
    void save({ pose: posed(part.pose, change) }, label);
  };
  const turn = (axis: Axis) => {
    const angle = parseNumber(degrees);
    if (Number.isNaN(angle)) setProblem(t`Type an angle in degrees, such as 90 or -12.5.`);
    else apply(turned(axis, angle), t`turning ${part.name}`);
  };
  const byPercent = (event: SubmitEvent) => {
    event.preventDefault();
    const factor = parseNumber(percent) / 100;
    if (!(factor > 0)) setProblem(t`Type a percentage over 0, such as 95.`);
    else apply(scaled(factor, factor, factor), t`the size of ${part.name}`);
  };
  const bySize = (axis: Axis) => {
    if (size === null || size.axis !== axis) return;
    const wanted = parseNumber(size.text);
    setSize(null);
    if (!(wanted > 0)) {
      setProblem(t`Type a length over 0 in millimetres.`);
      return;
    }
    const factor = wanted / extents[axis];
    if (Math.abs(factor - 1) < 1e-6) return;
    const of = (one: Axis) => (alone && one !== axis ? 1 : factor);
    apply(scaled(of("x"), of("y"), of("z")), t`the size of ${part.name}`);
  };
  const button = "btn btn-outline btn-xs font-normal";
  const box = "input input-xs w-20 border-rule bg-base-100";
  return (
    <div className="space-y-4 text-sm">
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
      <fieldset>
        <legend className="font-serif text-lg"><Trans>Turn</Trans></legend>
        <label>
          <Trans>By</Trans>{" "}
          <input className={box} value={degrees} inputMode="decimal" onChange={(event) => setDegrees(event.target.value)} aria-label={t`Angle in degrees`} /> °
        </label>
        <span className="ml-3 inline-flex gap-1">
          {AXES.map((axis) => (
            <button key={axis} type="button" className={button} onClick={() => turn(axis)} title={t`Around the axis that runs ${ACROSS[axis]}`}>
              <Trans>around {axis}</Trans>
            </button>
          ))}
        </span>
        <p className="mt-1 text-quiet"><Trans>x runs {ACROSS.x}, y {ACROSS.y}, z {ACROSS.z}. Positive turns are counter-clockwise, seen from the axis’ tip.</Trans></p>
      </fieldset>
      <fieldset>
        <legend className="font-serif text-lg"><Trans>Size</Trans></legend>
        <form onSubmit={byPercent} className="mb-2">
          <label>
            <Trans>To</Trans>{" "}
            <input className={box} value={percent} inputMode="decimal" onChange={(event) => setPercent(event.target.value)} aria-label={t`Percent of its size`} /> %
          </label>
          <button type="submit" className={`${button} ml-3`}>
            <Trans>Scale</Trans>
          </button>
        </form>
        <div className="flex flex-wrap gap-3">
          {AXES.map((axis) => (
            <label key={axis}>
              {axis}{" "}
              <input
                className={box}
                inputMode="decimal"
                aria-label={t`Size in ${axis}, mm`}
                value={size?.axis === axis ? size.text : fixed(extents[axis], 2)}
                onChange={(event) => setSize({ axis, text: event.target.value })}
                onBlur={() => bySize(axis)}
                onKeyDown={(event) => {
                  if (event.key === "Enter") bySize(axis);
                  if (event.key === "Escape") setSize(null);
                }}
              />
            </label>
          ))}
          mm
        </div>
        <label className="mt-1 flex items-center gap-1.5">
          <input type="checkbox" className="checkbox checkbox-xs" checked={alone} onChange={(event) => setAlone(event.target.checked)} />
          <Trans>Only that direction: the others keep their size</Trans>
        </label>
      </fieldset>
      <fieldset>
        <legend className="font-serif text-lg"><Trans>Mirror</Trans></legend>
        <span className="inline-flex gap-1">
          {AXES.map((axis) => (
            <button
              key={axis}
              type="button"
              className={button}
              onClick={() => apply(scaled(axis === "x" ? -1 : 1, axis === "y" ? -1 : 1, axis === "z" ? -1 : 1), t`mirroring ${part.name}`)}
            >
              {ACROSS[axis]}
            </button>
          ))}
        </span>
      </fieldset>
      <CutOff key={part.facts.digest} part={part} save={save} />
      <fieldset>
        <legend className="font-serif text-lg"><Trans>The file’s unit</Trans></legend>
        <p className="text-quiet">
          <Trans>
            {plain(Number(extents.x.toPrecision(4)))} × {plain(Number(extents.y.toPrecision(4)))} × {plain(Number(extents.z.toPrecision(4)))} mm
            looks wrong? The file may have been drawn in another unit.
          </Trans>
        </p>
        <span className="inline-flex flex-wrap gap-1">
          {[
            [t`it was inches`, 25.4],
            [t`it was centimetres`, 10],
            [t`it was metres`, 1000],
            [t`it was taken for inches`, 1 / 25.4],
          ].map(([label, factor]) => (
            <button key={label} type="button" className={button} onClick={() => apply(scaled(Number(factor), Number(factor), Number(factor)), t`the unit of ${part.name}`)}>
              {label}
            </button>
          ))}
        </span>
      </fieldset>
      <button type="button" className={button} onClick={() => void save({ pose: {} }, t`how ${part.name} stands`)}>
        <Trans>As it came in the file</Trans>
      </button>
    </div>
  );
}
