import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { Link, useSearchParams } from "react-router";
import type { RecipeColumn, StrokesIndex } from "../api/client";
import { useColumns } from "../api/queries";
import { fixed, formatDuration } from "../lib/format";
import type { Stage } from "../components/stage/Stage";
import { usePartOfPage } from "./PartLayout";
import { BeyondPanel } from "../features/layers/BeyondPanel";
import { FirstLayerPanel } from "../features/layers/FirstLayerPanel";
import { LayerPane } from "../features/layers/LayerPane";
import { COLOURINGS, legendOf, type ColourBy, type LegendEntry } from "../features/layers/painting";
import { useStrokesIndex } from "../features/layers/useStrokes";

/** The strokes of each layer, of one column or of two in step. */
export default function LayersPage() {
  const part = usePartOfPage();
  const columns = useColumns(part.id);
  if (columns.isError) return <p className="py-6 text-error">{columns.error.message}</p>;
  if (columns.data === undefined) return <p className="py-10 text-quiet">Fetching the recipes …</p>;
  const usable = columns.data.filter((column) => column.problem == null);
  if (usable.length === 0) {
    return (
      <p className="py-10">
        There is no recipe to draw.{" "}
        <Link className="underline" to={`/parts/${part.id}`}>
          Add a column on the bench.
        </Link>
      </p>
    );
  }
  return <Layers columns={usable} />;
}

const PACES = [1, 10, 60, 300] as const;

function Layers({ columns }: { columns: RecipeColumn[] }) {
  const [query, setQuery] = useSearchParams();
  const column = columns.find((one) => one.id === Number(query.get("column"))) ?? columns[0];
  const beside = columns.find((one) => one.id === Number(query.get("with")) && one.id !== column?.id);
  const index = useStrokesIndex(column);
  const other = useStrokesIndex(beside);
  const set = (changes: Record<string, string | null>) =>
    setQuery(
      (all) => {
        for (const [key, value] of Object.entries(changes)) {
          if (value === null) all.delete(key);
          else all.set(key, value);
        }
        return all;
      },
      { replace: true },
    );
  const select = "select select-xs w-40 border-rule bg-base-100";
  return (
    <div className="mt-3">
      <div className="flex flex-wrap items-center gap-3 pb-2 text-sm">
        <label>
          Recipe{" "}
          <select className={select} value={column?.id} onChange={(event) => set({ column: event.target.value })}>
            {columns.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        {columns.length > 1 && (
          <label>
            beside{" "}
            <select className={select} value={beside?.id ?? ""} onChange={(event) => set({ with: event.target.value || null })}>
              <option value="">none</option>
              {columns
                .filter((one) => one.id !== column?.id)
                .map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
            </select>
          </label>
        )}
      </div>
      {index.isError && (
        <p className="py-6 text-error" role="alert">
          {index.error.message}
        </p>
      )}
      {index.isPending && <p className="py-10 text-quiet">{column?.gcode ? "Replaying every move …" : "Planning every stroke …"}</p>}
      {column && index.data && (
        <Viewer
          key={`${column.id}:${column.version}:${column.part_digest}`}
          column={column}
          index={index.data}
          beside={beside && other.data ? { column: beside, index: other.data } : null}
          from={query}
        />
      )}
    </div>
  );
}

interface ViewerProps {
  column: RecipeColumn;
  index: StrokesIndex;
  beside: { column: RecipeColumn; index: StrokesIndex } | null;
  from: URLSearchParams;
}

function Viewer({ column, index, beside, from }: ViewerProps) {
  const layers = index.top_mm.length;
  const count = useCallback((layer: number) => (index.first_stroke[layer + 1] ?? 0) - (index.first_stroke[layer] ?? 0), [index]);
  const wantedCause = from.get("cause");
  const wantedFeature = from.get("feature");
  const [layer, setLayer] = useState(() => layerAt(index, from.get("mm") === null ? index.top_mm.at(-1) ?? 0 : Number(from.get("mm"))));
  const [share, setShare] = useState(1);
  const [below, setBelow] = useState(true);
  const [by, setBy] = useState<ColourBy>(wantedCause ? "cause" : index.marks.length > 0 && !wantedFeature ? "beyond" : "feature");
  const [only, setOnly] = useState<string | null>(wantedCause ?? wantedFeature);
  const [travels, setTravels] = useState(wantedFeature === "travel" || TRAVEL_CAUSES.includes(wantedCause ?? ""));
  const [playing, setPlaying] = useState(false);
  const [pace, setPace] = useState<number>(10);
  const stages = useRef<(Stage | null)[]>([null, null]);

  const go = useCallback(
    (to: number) => {
      setLayer(Math.max(0, Math.min(layers - 1, to)));
      setShare(1);
    },
    [layers],
  );

  // Two pictures are turned as one.
  const syncing = useRef(false);
  const join = useCallback((which: number, stage: Stage | null) => {
    stages.current[which] = stage;
    if (stage === null) return;
    const other = stages.current[1 - which];
    if (other) stage.lookLike(other);
    stage.controls.addEventListener("change", () => {
      const twin = stages.current[1 - which];
      if (syncing.current || !twin) return;
      syncing.current = true;
      twin.lookLike(stage);
      syncing.current = false;
    });
  }, []);
  const look = (view: "above" | "corner") => stages.current.forEach((stage) => stage?.look(view));

  useEffect(() => {
    if (!playing) return;
    let last = performance.now();
    let at = { layer, share };
    let frame = 0;
    const step = (now: number) => {
      let seconds = ((now - last) / 1000) * pace;
      last = now;
      let { layer: here, share: done } = at;
      while (seconds > 0) {
        const whole = Math.max(1e-3, (index.time_s[here] ?? 0) + (index.wait_s[here] ?? 0));
        const left = whole * (1 - done);
        if (seconds < left) {
          done += seconds / whole;
          break;
        }
        seconds -= left;
        if (here >= layers - 1) {
          done = 1;
          setPlaying(false);
          break;
        }
        here += 1;
        done = 0;
      }
      at = { layer: here, share: done };
      setLayer(here);
      setShare(done);
      frame = requestAnimationFrame(step);
    };
    frame = requestAnimationFrame(step);
    return () => cancelAnimationFrame(frame);
    // It runs on from where it was started; what it shows is not what it depends on.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [playing, pace, index, layers]);

  const keys = (event: KeyboardEvent) => {
    if (event.target instanceof HTMLSelectElement) return;
    const slider = event.target instanceof HTMLInputElement;
    const whole = count(layer);
    const step = 1 / Math.max(1, whole);
    const acts: Record<string, () => void> = {
      "1": () => go(0),
      PageUp: () => go(layer + 10),
      PageDown: () => go(layer - 10),
      " ": () => setPlaying(!playing),
      ...(!slider && {
        ArrowUp: () => go(layer + 1),
        ArrowDown: () => go(layer - 1),
        ArrowRight: () => setShare(Math.min(1, share + step)),
        ArrowLeft: () => setShare(Math.max(0, share - step)),
      }),
    };
    const act = acts[event.key];
    if (act === undefined || event.ctrlKey || event.metaKey) return;
    if (event.key === " " && event.target instanceof HTMLButtonElement) return;
    event.preventDefault();
    act();
  };

  const height = index.top_mm[layer] ?? 0;
  const strokes = Math.round(share * count(layer));
  const spent = useMemo(() => {
    let sum = 0;
    for (let k = 0; k < layer; k++) sum += (index.time_s[k] ?? 0) + (index.wait_s[k] ?? 0);
    return sum + share * ((index.time_s[layer] ?? 0) + (index.wait_s[layer] ?? 0));
  }, [index, layer, share]);
  const fastest = Math.max(index.fastest_mm_s, beside?.index.fastest_mm_s ?? 0);
  const painting = { by, only, travels };
  const used = new Set([...index.features_used, ...(beside?.index.features_used ?? [])]);
  const legend = legendOf(by, { fastest, ceiling: index.melt_ceiling_mm3_s }, index).filter(
    (entry) => by !== "feature" || used.has(entry.key),
  );
  const twinLayer = beside ? layerAt(beside.index, height) : 0;
  const twinCount = beside ? (beside.index.first_stroke[twinLayer + 1] ?? 0) - (beside.index.first_stroke[twinLayer] ?? 0) : 0;
  return (
    <div className="grid grid-cols-1 gap-5 outline-none lg:grid-cols-[minmax(0,1fr)_290px]" onKeyDown={keys} tabIndex={-1}>
      <div className="min-w-0">
        <div className="flex flex-col gap-3 md:flex-row">
          <LayerPane
            column={column}
            index={index}
            layer={layer}
            strokes={strokes}
            below={below}
            painting={painting}
            fastest={fastest}
            onStage={(stage) => join(0, stage)}
          />
          {beside && (
            <LayerPane
              key={beside.column.id}
              column={beside.column}
              index={beside.index}
              layer={twinLayer}
              strokes={Math.round(share * twinCount)}
              below={below}
              painting={painting}
              fastest={fastest}
              onStage={(stage) => join(1, stage)}
            />
          )}
        </div>
        <div className="mt-2 grid grid-cols-[4rem_1fr_9rem] items-center gap-x-3 gap-y-1 text-sm">
          <label htmlFor="layer-slider">Layer</label>
          <input
            id="layer-slider"
            type="range"
            className="w-full accent-[var(--molten)]"
            min={1}
            max={layers}
            value={layer + 1}
            aria-valuetext={`layer ${layer + 1} of ${layers}, ${fixed(height, 2)} mm`}
            onChange={(event) => go(Number(event.target.value) - 1)}
          />
          <span className="whitespace-nowrap" data-testid="layer">
            {layer + 1} of {layers} · {fixed(height, 2)} mm
          </span>
          <label htmlFor="stroke-slider">Stroke</label>
          <input
            id="stroke-slider"
            type="range"
            className="w-full accent-[var(--molten)]"
            min={0}
            max={count(layer)}
            value={strokes}
            aria-valuetext={`stroke ${strokes} of ${count(layer)}`}
            onChange={(event) => setShare(Number(event.target.value) / Math.max(1, count(layer)))}
          />
          <span className="whitespace-nowrap" data-testid="stroke">
            {strokes} of {count(layer)}
          </span>
        </div>
        <div className="mt-2 flex flex-wrap items-center gap-2 text-sm">
          <button type="button" className="btn btn-outline btn-xs w-16" onClick={() => setPlaying(!playing)}>
            {playing ? "Pause" : "Play"}
          </button>
          <div className="join" role="group" aria-label="Pace">
            {PACES.map((one) => (
              <button
                key={one}
                type="button"
                aria-pressed={pace === one}
                className={`btn join-item btn-xs ${pace === one ? "btn-neutral" : "btn-outline"}`}
                onClick={() => setPace(one)}
              >
                {one} ×
              </button>
            ))}
          </div>
          <button type="button" className="btn btn-outline btn-xs" onClick={() => go(0)}>
            First layer
          </button>
          <span className="mx-1 h-4 border-l border-rule" />
          <button type="button" className="btn btn-outline btn-xs" onClick={() => look("above")}>
            From above
          </button>
          <button type="button" className="btn btn-outline btn-xs" onClick={() => look("corner")}>
            From a corner
          </button>
          <label className="flex items-center gap-1.5">
            <input type="checkbox" className="checkbox checkbox-xs" checked={!below} onChange={(event) => setBelow(!event.target.checked)} />
            This layer alone
          </label>
          <label className="flex items-center gap-1.5">
            <input type="checkbox" className="checkbox checkbox-xs" checked={travels} onChange={(event) => setTravels(event.target.checked)} />
            Travel
          </label>
        </div>
        <p className="mt-1 text-xs text-quiet">
          Arrows: up and down change the layer, left and right lay strokes · 1: first layer · space plays · point at a stroke of
          the top layer to read it
        </p>
      </div>
      <aside aria-label="About the layers" className="min-w-0 space-y-3">
        <div>
          <p className="font-serif text-2xl leading-tight">{formatDuration(spent)}</p>
          <p className="text-sm text-quiet">
            into the print; this layer takes {formatDuration((index.time_s[layer] ?? 0) + (index.wait_s[layer] ?? 0))}
            {(index.wait_s[layer] ?? 0) > 0.5 && `, ${formatDuration(index.wait_s[layer] ?? 0)} of it waiting to cool`}.
          </p>
        </div>
        <div>
          <label className="text-sm">
            Colour by{" "}
            <select
              className="select select-xs w-44 border-rule bg-base-100"
              value={by}
              onChange={(event) => {
                setBy(event.target.value as ColourBy);
                setOnly(null);
              }}
            >
              {COLOURINGS.filter((one) => !one.ofFile || column.gcode).map((one) => (
                <option key={one.key} value={one.key}>
                  {one.label}
                </option>
              ))}
            </select>
          </label>
          <Legend entries={legend} only={only} onOnly={setOnly} />
          <p className="mt-1 text-xs text-quiet">
            {by === "resting"
              ? "Share of each bead that has plastic of the layer below under it."
              : only === null
                ? "Choose one to see it stand out."
                : "Choose it again to see all."}
          </p>
        </div>
        {column.gcode && <BeyondPanel marks={index.marks} layer={layer} onLayer={go} />}
        {layer === 0 && !column.gcode && <FirstLayerPanel column={column} />}
      </aside>
    </div>
  );
}

const TRAVEL_CAUSES = ["travelling", "retracting", "z_and_layer_change"];

/** The layer that a height lies in. */
function layerAt(index: StrokesIndex, mm: number): number {
  const found = index.top_mm.findIndex((top) => top >= mm - 1e-6);
  return found < 0 ? index.top_mm.length - 1 : found;
}

interface LegendProps {
  entries: LegendEntry[];
  only: string | null;
  onOnly: (key: string | null) => void;
}

const SWATCH = [
  "none",
  "repeating-linear-gradient(90deg, transparent 0 6px, rgb(0 0 0 / 0.55) 6px 9px)",
  "linear-gradient(0deg, transparent 38%, rgb(0 0 0 / 0.55) 38% 62%, transparent 62%)",
  "radial-gradient(circle at 4px 50%, rgb(0 0 0 / 0.6) 0 2px, transparent 2.2px)",
  "repeating-linear-gradient(90deg, transparent 0 7px, rgb(0 0 0 / 0.55) 7px 14px)",
];

function Legend({ entries, only, onOnly }: LegendProps) {
  return (
    <ul className="mt-1 text-sm" aria-label="Legend">
      {entries.map((entry) => (
        <li key={entry.key}>
          <button
            type="button"
            aria-pressed={only === entry.key}
            className={`flex min-h-6 w-full cursor-pointer items-center gap-2 px-1 text-left hover:bg-base-200 ${only !== null && only !== entry.key ? "text-quiet" : ""} ${only === entry.key ? "bg-molten-wash" : ""}`}
            onClick={() => onOnly(only === entry.key ? null : entry.key)}
          >
            <span
              className="inline-block h-3 w-7 rounded-full"
              style={{ backgroundColor: entry.colour, backgroundImage: SWATCH[entry.pattern], backgroundSize: entry.pattern === 3 ? "8px 100%" : undefined }}
            />
            <span className="w-4 text-quiet">{entry.letter}</span>
            {entry.label}
          </button>
        </li>
      ))}
    </ul>
  );
}
