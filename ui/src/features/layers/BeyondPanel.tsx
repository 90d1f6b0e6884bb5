import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { StrokesIndex } from "../../api/client";
import { fixed, grouped } from "../../lib/format";

type Mark = StrokesIndex["marks"][number];

/** Lines of a file's list that are shown at once; the others are counted. */
const SHOWN = 40;

const SAYS: Record<Mark["kind"], (mark: Mark) => string> = {
  axis_speed: (mark) => t`asks for ${fixed(mark.value, 0)} mm/s where the axes have ${fixed(mark.limit, 0)}`,
  melt_ceiling: (mark) => t`asks for ${fixed(mark.value, 1)} mm³/s where ${fixed(mark.limit, 1)} melts`,
  outside: (mark) => t`lays plastic at ${fixed(mark.value, 1)} mm, and the bed ends at ${mark.value < 0 ? "0" : fixed(mark.limit, 0)}`,
  temperature: (mark) => t`heats to ${fixed(mark.value, 0)} °C, and the hot end is made for ${fixed(mark.limit, 0)}`,
};

interface Run {
  /** The mark of the run that goes furthest beyond. */
  worst: Mark;
  first: number;
  last: number;
}

/** Marks of one kind and layer, in lines that follow each other, as one. */
function runsOf(marks: readonly Mark[]): Run[] {
  const runs: Run[] = [];
  for (const mark of marks) {
    const run = runs.at(-1);
    if (run && run.worst.kind === mark.kind && run.worst.layer === mark.layer && mark.line - run.last <= 3) {
      run.last = mark.line;
      if (Math.abs(mark.value) > Math.abs(run.worst.value)) run.worst = mark;
    } else runs.push({ worst: mark, first: mark.line, last: mark.line });
  }
  return runs;
}

/** Where a replayed file goes beyond the machine, by its own lines; a line leads to its layer. */
export function BeyondPanel({ marks, layer, onLayer }: { marks: readonly Mark[]; layer: number; onLayer: (layer: number) => void }) {
  if (marks.length === 0) return <p className="text-sm text-quiet"><Trans>The file asks for nothing beyond this machine.</Trans></p>;
  const runs = runsOf(marks);
  return (
    <section aria-labelledby="beyond">
      <h2 id="beyond" className="font-serif text-lg">
        <Trans>Beyond the machine</Trans>
      </h2>
      <p className="text-xs text-quiet">
        <Trans>
          By the file's lines. Axes run at their own limit; what does not melt comes out thin; a heater beyond its limit is for
          its maker to judge.
        </Trans>
      </p>
      <ul className="mt-1 max-h-72 overflow-y-auto text-sm" tabIndex={0} aria-label={t`Lines beyond the machine`}>
        {runs.slice(0, SHOWN).map(({ worst: mark, first, last }) => (
          <li key={`${mark.kind}:${first}`}>
            <button
              type="button"
              className={`w-full cursor-pointer px-1 py-0.5 text-left hover:bg-base-200 ${mark.layer === layer ? "bg-molten-wash" : ""}`}
              disabled={mark.layer == null}
              onClick={() => {
                if (mark.layer != null) onLayer(mark.layer);
              }}
            >
              <span className="tabular-nums">
                {first === last ? t`line ${grouped(first)}` : t`lines ${grouped(first)} to ${grouped(last)}`}
              </span>
              {mark.layer != null && <span className="text-quiet"><Trans>, layer {mark.layer + 1}</Trans></span>}: {SAYS[mark.kind](mark)}
            </button>
          </li>
        ))}
      </ul>
      {(runs.length > SHOWN || marks.length >= 1000) && (
        <p className="text-xs text-quiet">
          <Trans>and {Math.max(runs.length - SHOWN, 0)} more places{marks.length >= 1000 ? t`, or beyond the first thousand marks` : ""}.</Trans>
        </p>
      )}
    </section>
  );
}
