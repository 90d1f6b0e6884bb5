import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMemo, useState, type KeyboardEvent, type ReactNode } from "react";
import type { RecipeColumn, StrokesIndex } from "../../api/client";
import { fixed, formatDuration } from "../../lib/format";
import { hasGraphicsCard } from "../../components/stage/graphics";
import { BeyondPanel } from "./BeyondPanel";
import { DifferencePanel } from "./DifferencePanel";
import { ColourPanel } from "./ColourPanel";
import { FirstLayerPanel } from "./FirstLayerPanel";
import { LayerPane } from "./LayerPane";
import { LayerSliders } from "./LayerSliders";
import { legendOf, type ColourBy } from "./painting";
import { layerAt, layerSeconds, secondsUntil, strokesIn } from "./places";
import { PlayerBar } from "./PlayerBar";
import { leavesOut } from "./StrokeScene";
import { usePlayback, type Playback } from "./usePlayback";
import { useDifference } from "./useDifference";
import { useTwinStages } from "./useTwinStages";

interface LayersViewerProps {
  column: RecipeColumn;
  index: StrokesIndex;
  beside: { column: RecipeColumn; index: StrokesIndex } | null;
  /** What the address asks to see: `mm`, and `cause` or `feature` that stands out. */
  from: URLSearchParams;
  /** What stands under the colours, such as both recipes by height. */
  children?: ReactNode;
}

const TRAVEL_CAUSES = ["travelling", "retracting", "z_and_layer_change"];

/** The strokes of one column, or of two in step, up to a place in the print. */
export function LayersViewer({ column, index, beside, from, children }: LayersViewerProps) {
  const wantedCause = from.get("cause");
  const wantedFeature = from.get("feature");
  const wantedMm = from.get("mm");
  const place = usePlayback(index, layerAt(index, wantedMm === null ? (index.top_mm.at(-1) ?? 0) : Number(wantedMm)));
  const { layer, share } = place;
  const [below, setBelow] = useState(true);
  const [chosenBy, setBy] = useState<ColourBy>(from.get("colour") === "difference" ? "difference" : wantedCause ? "cause" : index.marks.length > 0 && !wantedFeature ? "beyond" : "feature");
  const [only, setOnly] = useState<string | null>(wantedCause ?? wantedFeature);
  const [travels, setTravels] = useState(wantedFeature === "travel" || TRAVEL_CAUSES.includes(wantedCause ?? ""));
  const [simply, setSimply] = useState(() => !hasGraphicsCard());
  const matters = !hasGraphicsCard() && (leavesOut(index) || (beside !== null && leavesOut(beside.index)));
  // Without a second recipe there is no difference to show.
  const by = chosenBy === "difference" && !beside ? "feature" : chosenBy;
  const { join, look } = useTwinStages();
  const apart = useDifference(index, beside?.index ?? null);

  const strokes = Math.round(share * strokesIn(index, layer));
  const returns_mm = index.returns_mm[layer] ?? 0;
  const spent = useMemo(() => secondsUntil(index, layer, share), [index, layer, share]);
  const fastest = Math.max(index.fastest_mm_s, beside?.index.fastest_mm_s ?? 0);
  const painting = { by, only, travels };
  const used = new Set([...index.features_used, ...(beside?.index.features_used ?? [])]);
  const legend = legendOf(by, { fastest, ceiling: index.melt_ceiling_mm3_s }, index).filter(
    (entry) => by !== "feature" || used.has(entry.key),
  );
  const twinLayer = beside ? layerAt(beside.index, index.top_mm[layer] ?? 0) : 0;
  const twinCount = beside ? strokesIn(beside.index, twinLayer) : 0;
  return (
    <div
      className="grid grid-cols-1 gap-5 outline-none lg:grid-cols-[minmax(0,1fr)_290px]"
      onKeyDown={(event) => onKey(event, place, strokesIn(index, layer))}
      tabIndex={-1}
    >
      <div className="min-w-0">
        <div className="flex flex-col gap-3 md:flex-row">
          <LayerPane
            column={column}
            index={index}
            layer={layer}
            strokes={strokes}
            below={below}
            simply={simply}
            painting={{ ...painting, apart: apart.mine }}
            fastest={fastest}
            onStage={(stage) => join(0, stage)}
            onPiece={apart.onMine}
          />
          {beside && (
            <LayerPane
              key={beside.column.id}
              column={beside.column}
              index={beside.index}
              layer={twinLayer}
              strokes={Math.round(share * twinCount)}
              below={below}
              simply={simply}
              painting={{ ...painting, apart: apart.its }}
              fastest={fastest}
              onStage={(stage) => join(1, stage)}
              onPiece={apart.onIts}
            />
          )}
        </div>
        <LayerSliders index={index} place={place} />
        <PlayerBar place={place} below={below} onBelow={setBelow} travels={travels} onTravels={setTravels} onLook={look}>
          {matters && (
            <label className="flex items-center gap-1.5" title={t`Without a graphics card, layers below the ones on top are drawn as they look from outside; all their strokes take seconds a picture`}>
              <input type="checkbox" className="checkbox checkbox-xs" checked={!simply} onChange={(event) => setSimply(!event.target.checked)} />
              <Trans>Every stroke below</Trans>
            </label>
          )}
        </PlayerBar>
      </div>
      <aside aria-label={t`About the layers`} className="min-w-0 space-y-3">
        <div>
          <p className="font-serif text-2xl leading-tight">{formatDuration(spent)}</p>
          <p className="text-sm text-quiet">
            <Trans>
              into the print; this layer takes {formatDuration(layerSeconds(index, layer))}
              {(index.wait_s[layer] ?? 0) > 0.5 && t`, ${formatDuration(index.wait_s[layer] ?? 0)} of it waiting to cool`}.
            </Trans>
          </p>
          {returns_mm >= 1 && (
            <p className="text-sm text-quiet" title={t`Where a top stroke comes back beside an older edge it leaves a mark. In order there are none on a face without holes, and at most two a hole.`}>
              <Trans>{fixed(returns_mm, 0)} mm of its top strokes lie against an older edge.</Trans>
            </p>
          )}
        </div>
        <ColourPanel by={by} onBy={setBy} ofFile={column.gcode != null} ofTwo={beside !== null} legend={legend} only={only} onOnly={setOnly} />
        {by === "difference" && beside && (
          <DifferencePanel names={[column.name, beside.column.name]} only={apart.inLayer(layer, twinLayer)} />
        )}
        {children}
        {column.gcode && <BeyondPanel marks={index.marks} layer={layer} onLayer={place.go} />}
        {layer === 0 && !column.gcode && <FirstLayerPanel column={column} />}
      </aside>
    </div>
  );
}

function onKey(event: KeyboardEvent, place: Playback, strokes: number): void {
  if (event.target instanceof HTMLSelectElement) return;
  const slider = event.target instanceof HTMLInputElement;
  const { layer, share } = place;
  const step = 1 / Math.max(1, strokes);
  const acts: Record<string, () => void> = {
    "1": () => place.go(0),
    PageUp: () => place.go(layer + 10),
    PageDown: () => place.go(layer - 10),
    " ": () => place.toggle(),
    ...(!slider && {
      ArrowUp: () => place.go(layer + 1),
      ArrowDown: () => place.go(layer - 1),
      ArrowRight: () => place.setShare(Math.min(1, share + step)),
      ArrowLeft: () => place.setShare(Math.max(0, share - step)),
    }),
  };
  const act = acts[event.key];
  if (act === undefined || event.ctrlKey || event.metaKey) return;
  if (event.key === " " && event.target instanceof HTMLButtonElement) return;
  event.preventDefault();
  act();
}
