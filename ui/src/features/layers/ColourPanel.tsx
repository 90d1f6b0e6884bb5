import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Legend } from "./Legend";
import { COLOURINGS, type ColourBy, type LegendEntry } from "./painting";

interface ColourPanelProps {
  by: ColourBy;
  onBy: (by: ColourBy) => void;
  /** A replayed file can go beyond the machine. */
  ofFile: boolean;
  /** Two are shown in step. */
  ofTwo: boolean;
  legend: LegendEntry[];
  only: string | null;
  onOnly: (key: string | null) => void;
}

/** What strokes are coloured by, and what the colours mean. */
export function ColourPanel({ by, onBy, ofFile, ofTwo, legend, only, onOnly }: ColourPanelProps) {
  return (
    <div>
      <label className="text-sm">
        <Trans>Colour by</Trans>{" "}
        <select
          className="select select-xs w-44 border-rule bg-base-100"
          value={by}
          onChange={(event) => {
            onBy(event.target.value as ColourBy);
            onOnly(null);
          }}
        >
          {COLOURINGS.filter((one) => (!one.ofFile || ofFile) && (!one.ofTwo || ofTwo)).map((one) => (
            <option key={one.key} value={one.key}>
              {one.label}
            </option>
          ))}
        </select>
      </label>
      <Legend entries={legend} only={only} onOnly={onOnly} />
      <p className="mt-1 text-xs text-quiet">
        {by === "resting"
          ? t`Share of each bead that has plastic of the layer below under it.`
          : only === null
            ? t`Choose one to see it stand out.`
            : t`Choose it again to see all.`}
      </p>
    </div>
  );
}
