import { t } from "@lingui/core/macro";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { StrokePiece } from "../../api/binary";
import type { RecipeColumn, StrokesIndex } from "../../api/client";
import { fixed } from "../../lib/format";
import { CAUSES, FEATURES } from "../../lib/featureStyles";
import type { Stage } from "../../components/stage/Stage";
import { hasGraphicsCard } from "../../components/stage/graphics";
import { StageCanvas } from "../../components/stage/StageCanvas";
import { painterOf, type Painting } from "./painting";
import { leavesOut, StrokeScene } from "./StrokeScene";
import { useStrokes } from "./useStrokes";

interface LayerPaneProps {
  column: RecipeColumn;
  index: StrokesIndex;
  layer: number;
  /** Strokes of the layer that are laid. */
  strokes: number;
  below: boolean;
  /** Of lower layers only what is seen from outside, in fewer strokes. */
  simply: boolean;
  painting: Omit<Painting, "scale" | "names">;
  fastest: number;
  /** Gives the stage out, so that two panes can be turned as one. */
  onStage: (stage: Stage | null) => void;
  /** Told of every piece of strokes that has been fetched. */
  onPiece?: (data: StrokePiece) => void;
}

/** The strokes of one column up to a place in time; pointing at one reads it. */
export function LayerPane({ column, index, layer, strokes, below, simply, painting, fastest, onStage, onPiece }: LayerPaneProps) {
  const [reading, setReading] = useState<string[] | null>(null);
  const { by, only, travels, apart } = painting;
  const painter = useMemo(
    () => painterOf({ by, only, travels, apart, names: index, scale: { fastest, ceiling: index.melt_ceiling_mm3_s } }),
    [by, only, travels, apart, fastest, index],
  );
  const [scene, setScene] = useState<StrokeScene | null>(null);
  const give = useRef(onStage);
  // A pane is made anew for another column or version: its table of layers never changes.
  const ready = useCallback(
    (stage: Stage) => {
      const made = new StrokeScene(stage, index);
      setScene(made);
      give.current(stage);
      return () => {
        give.current(null);
        made.dispose();
      };
    },
    [index],
  );

  const loading = useStrokes(column, index, scene, layer, below, by === "resting", painter, onPiece);
  useEffect(() => scene?.paint(painter), [scene, painter]);
  useEffect(() => scene?.drawSimply(simply), [scene, simply]);
  useEffect(() => scene?.show({ layer, strokes, below }), [scene, layer, strokes, below]);

  const read = (x: number, y: number) => {
    const found = scene?.strokeAt(x, y, travels);
    setReading(found ? words(index, found.data, found.at) : null);
  };
  const { loaded, wanted, problem } = loading;
  return (
    <figure className="min-w-0 flex-1">
      <figcaption className="flex justify-between gap-2 text-sm">
        <span className="truncate font-serif text-lg">{column.name}</span>
        <span className="text-quiet" role="status">
          {problem ?? (loaded < wanted ? t`fetching ${loaded} of ${wanted} pieces` : "")}
        </span>
      </figcaption>
      <div
        onPointerMove={(event) => {
          if (event.buttons !== 0) return;
          const box = event.currentTarget.getBoundingClientRect();
          read(event.clientX - box.left, event.clientY - box.top);
        }}
        onPointerLeave={() => setReading(null)}
      >
        <StageCanvas
          label={t`Strokes of ${column.name}, layer ${layer + 1} of ${index.top_mm.length}`}
          onReady={ready}
          smooth={hasGraphicsCard() || !leavesOut(index)}
          className="h-[44vh] min-h-64 border border-rule lg:h-[58vh]"
        >
          {reading && (
            <p className="pointer-events-none absolute left-2 top-2 border border-rule bg-base-100 px-2 py-1 text-sm" data-testid="reading">
              {reading.map((line, at) => (
                <span key={at} className="block">
                  {line}
                </span>
              ))}
            </p>
          )}
        </StageCanvas>
      </div>
    </figure>
  );
}

/** A stroke in words. */
function words(index: StrokesIndex, data: Parameters<StrokeScene["add"]>[1], at: number): string[] {
  const key = index.features[data.feature[at] ?? 0] ?? "";
  const feature = FEATURES.find((one) => one.key === key)?.label ?? key;
  const held = `${index.causes[data.cause[at] ?? 0] ?? ""}_s`;
  const cause = CAUSES.find(({ key }) => key === held)?.label.toLowerCase() ?? "";
  const length = Math.hypot(
    (data.xy[4 * at + 2] ?? 0) - (data.xy[4 * at] ?? 0),
    (data.xy[4 * at + 3] ?? 0) - (data.xy[4 * at + 1] ?? 0),
  );
  const seconds = data.seconds[at] ?? 0;
  const time = t`${fixed(length, 1)} mm in ${seconds < 0.1 ? fixed(1000 * seconds, 0) + " ms" : fixed(seconds, 2) + " s"}`;
  if (key === "travel") {
    return [(data.flags[at] ?? 0) & 1 ? t`Travel, filament pulled back` : t`Travel`, `${time} · ${fixed(data.speed_mm_s[at] ?? 0, 0)} mm/s`];
  }
  return [
    `${feature}, ${fixed(data.width_mm[at] ?? 0, 2)} × ${fixed(data.height_mm[at] ?? 0, 2)} mm`,
    t`${time} · ${fixed(data.speed_mm_s[at] ?? 0, 0)} mm/s · up to ${fixed(data.flow_mm3_s[at] ?? 0, 1)} of ${fixed(index.melt_ceiling_mm3_s, 1)} mm³/s`,
    t`mostly ${cause}`,
  ];
}
