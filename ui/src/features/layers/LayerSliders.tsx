import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { StrokesIndex } from "../../api/client";
import { fixed } from "../../lib/format";
import { strokesIn } from "./places";
import type { Playback } from "./usePlayback";

/** Where in the print: which layer, and how many of its strokes. */
export function LayerSliders({ index, place }: { index: StrokesIndex; place: Playback }) {
  const { layer, share } = place;
  const layers = index.top_mm.length;
  const count = strokesIn(index, layer);
  const strokes = Math.round(share * count);
  const height = fixed(index.top_mm[layer] ?? 0, 2);
  return (
    <div className="mt-2 grid grid-cols-[4rem_1fr_9rem] items-center gap-x-3 gap-y-1 text-sm">
      <label htmlFor="layer-slider"><Trans>Layer</Trans></label>
      <input
        id="layer-slider"
        type="range"
        className="w-full accent-[var(--molten)]"
        min={1}
        max={layers}
        value={layer + 1}
        aria-valuetext={t`layer ${layer + 1} of ${layers}, ${height} mm`}
        onChange={(event) => place.go(Number(event.target.value) - 1)}
      />
      <span className="whitespace-nowrap" data-testid="layer">
        <Trans>{layer + 1} of {layers} · {height} mm</Trans>
      </span>
      <label htmlFor="stroke-slider"><Trans>Stroke</Trans></label>
      <input
        id="stroke-slider"
        type="range"
        className="w-full accent-[var(--molten)]"
        min={0}
        max={count}
        value={strokes}
        aria-valuetext={t`stroke ${strokes} of ${count}`}
        onChange={(event) => place.setShare(Number(event.target.value) / Math.max(1, count))}
      />
      <span className="whitespace-nowrap" data-testid="stroke">
        <Trans>{strokes} of {count}</Trans>
      </span>
    </div>
  );
}
