import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent } from "react";
import { useSearchParams } from "react-router";
import { Vector3 } from "three";
import { api, take, type Spot } from "../api/client";
import { fetchMesh, fetchGuessed, fetchThickness } from "../api/binary";
import { savePart, type PartChange } from "../features/part/savePart";
import { keys } from "../api/queries";
import { fixed } from "../lib/format";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";
import type { Stage, ViewName } from "../components/stage/Stage";
import { StageCanvas } from "../components/stage/StageCanvas";
import { usePartOfPage } from "./PartLayout";
import { type Shade } from "../features/part/colours";
import { Facts, type FactKey } from "../features/part/Facts";
import { PartViewer } from "../features/part/PartViewer";
import { layingDown, posed } from "../features/part/pose";
import { PurposePanel } from "../features/part/PurposePanel";
import { Orientations } from "../features/part/Orientations";
import { Measured } from "../features/part/Measured";
import { ShadeLegend } from "../features/part/ShadeLegend";
import { SpotMark } from "../features/part/SpotMark";
import { ToolButton, type Tool } from "../features/part/ToolButton";
import { TurnAndSize } from "../features/part/TurnAndSize";

interface Marks {
  digest: string;
  cut: number | null;
  points: Vector3[];
}

const NO_POINTS: Vector3[] = [];


const VIEWS: readonly (readonly [ViewName, string])[] = [
  ["corner", t`corner`],
  ["front", t`front`],
  ["right", t`right`],
  ["back", t`back`],
  ["left", t`left`],
  ["above", t`above`],
  ["below", t`below`],
];
const SIDES = { facts: t`Facts`, turn: t`Turn and size`, stand: t`Ways to stand`, purpose: t`What it is for` };
type Side = keyof typeof SIDES;

/** Get the part ready: look at it, stand it, size it, and see what of it will decide the settings. */
export default function ReadyPage() {
  const part = usePartOfPage();
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const { digest, extents_mm } = part.facts;
  const height_mm = extents_mm.z;

  const [viewer, setViewer] = useState<PartViewer | null>(null);
  const [tool, setTool] = useState<Tool>("look");
  // A finding may lead here, to a fact on the part or to other ways to stand.
  const [asked] = useSearchParams();
  const [side, setSide] = useState<Side>(asked.get("side") === "stand" ? "stand" : "facts");
  const [fact, setFact] = useState<FactKey | null>(asked.get("show") as FactKey | null);
  // A section and a measured way belong to the part as it stood when they were made.
  const [marks, setMarks] = useState<Marks>({ digest, cut: null, points: [] });
  const { cut, points } = marks.digest === digest ? marks : { cut: null, points: NO_POINTS };
  const [, setDrawn] = useState(0);

  const mesh = useQuery({
    queryKey: ["mesh", part.id, digest],
    queryFn: ({ signal }) => fetchMesh(part.id, digest, signal),
    staleTime: Infinity,
    gcTime: 60_000,
  });
  const insight = useQuery({
    queryKey: keys.insight(part.id, digest),
    queryFn: async () => take(await api.GET("/api/parts/{part_id}/insight", { params: { path: { part_id: part.id } } })),
    staleTime: Infinity,
  });
  const shade: Shade = fact === "thickness" ? "thickness" : fact === "overhang" ? "overhang" : fact === "slopes" ? "slope" : fact === "guessed" ? "guessed" : "plain";
  const thickness = useQuery({
    queryKey: [shade === "guessed" ? "guessed" : "thickness", part.id, digest],
    queryFn: ({ signal }) => (shade === "guessed" ? fetchGuessed : fetchThickness)(part.id, digest, signal),
    enabled: shade === "guessed" || (shade === "thickness" && insight.isSuccess),
    staleTime: Infinity,
    gcTime: 60_000,
  });

  useEffect(() => {
    if (viewer === null || mesh.data === undefined) return;
    viewer.show(mesh.data);
  }, [viewer, mesh.data]);
  useEffect(() => viewer?.shade(shade, thickness.data), [viewer, shade, thickness.data, mesh.data]);
  useEffect(() => viewer?.cut(cut), [viewer, cut]);
  useEffect(() => viewer?.measure(points), [viewer, points]);

  const ready = useCallback((stage: Stage) => {
    const made = new PartViewer(stage);
    // Labels over the picture have to move with it.
    stage.onDraw = () => setDrawn((count) => count + 1);
    setViewer(made);
    return () => made.clear();
  }, []);

  const save = useCallback(
    async (change: PartChange, label: string) => {
      try {
        await savePart(queries, history, part.id, change, label);
      } catch (error) {
        toast(error instanceof Error ? error.message : t`It could not be stored.`, { tone: "error" });
      }
    },
    [history, part.id, queries, toast],
  );

  // A press that turned the view is no click.
  const pressed = useRef<{ x: number; y: number } | null>(null);
  const click = (event: PointerEvent) => {
    const from = pressed.current;
    pressed.current = null;
    // Until the mesh has come, the picture still shows how the part stood before: no face of that is laid down.
    if (viewer === null || mesh.data === undefined || tool === "look" || from === null) return;
    if (Math.hypot(event.clientX - from.x, event.clientY - from.y) > 4) return;
    const box = event.currentTarget.getBoundingClientRect();
    const hit = viewer.hit(event.clientX - box.left, event.clientY - box.top);
    if (hit === null) return;
    if (tool === "measure") {
      setMarks({ digest, cut, points: points.length >= 2 ? [hit.point] : [...points, hit.point] });
    } else {
      setTool("look");
      void save({ pose: posed(part.pose, layingDown(hit.normal)) }, t`how ${part.name} stands`);
    }
  };

  const spots = useMemo<Spot[]>(() => {
    const kind = fact === null || fact === "guessed" ? null : KINDS[fact];
    return insight.data?.spots.filter((spot) => spot.kind === kind) ?? [];
  }, [insight.data, fact]);

  return (
    <div className="mt-3 grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,1fr)_400px]">
      <div className="min-w-0">
        <div className="flex flex-wrap items-center gap-x-3 gap-y-1 pb-2 text-sm">
          <div className="join" role="group" aria-label={t`Look from`}>
            {VIEWS.map(([view, name]) => (
              <button key={view} type="button" className="btn btn-outline join-item btn-xs font-normal" onClick={() => viewer?.stage.look(view)}>
                {name}
              </button>
            ))}
          </div>
          <div className="join" role="group" aria-label={t`What a click does`}>
            <ToolButton tool="look" now={tool} pick={setTool} label={t`Turn`} />
            <ToolButton tool="measure" now={tool} pick={setTool} label={t`Measure`} />
            <ToolButton tool="lay" now={tool} pick={setTool} label={t`Stand on a face`} />
          </div>
          <label className="flex items-center gap-2">
            <Trans>Section at</Trans>
            <input
              type="range"
              className="w-32 accent-[var(--molten)]"
              min={0}
              max={1000}
              aria-label={t`Height of the section`}
              value={cut === null ? 1000 : Math.round((1000 * cut) / height_mm)}
              onChange={(event) => {
                const share = Number(event.target.value) / 1000;
                setMarks({ digest, points, cut: share >= 1 ? null : share * height_mm });
              }}
            />
            <span className="w-16">{cut === null ? t`whole` : `${fixed(cut, 1)} mm`}</span>
          </label>
        </div>
        <div
          onPointerDown={(event) => {
            pressed.current = { x: event.clientX, y: event.clientY };
          }}
          onPointerUp={click}
        >
          <StageCanvas
            label={t`${part.name} as it stands`}
            onReady={ready}
            className={`h-[46vh] min-h-72 border border-rule lg:h-[62vh] ${tool === "look" ? "cursor-grab" : "cursor-crosshair"}`}
          >
            {mesh.isPending && <p className="absolute left-3 top-2 text-sm text-quiet"><Trans>Fetching the mesh …</Trans></p>}
            {mesh.isError && <p className="absolute left-3 top-2 text-sm text-error">{mesh.error.message}</p>}
            {viewer && spots.map((spot, index) => <SpotMark key={index} spot={spot} number={index + 1} viewer={viewer} />)}
            {viewer && points.length === 2 && points[0] && points[1] && <Measured from={points[0]} to={points[1]} viewer={viewer} />}
            {shade !== "plain" && <ShadeLegend shade={shade} waiting={shade === "thickness" && thickness.data === undefined} />}
          </StageCanvas>
        </div>
        <p className="mt-1 min-h-5 text-sm text-quiet" aria-live="polite">
          {HINTS[tool]}
        </p>
        {spots.length > 0 && (
          <ol className="mt-1 columns-2 text-sm sm:columns-3" aria-label={t`Places on the part`}>
            {spots.map((spot, index) => (
              <li key={index}>
                <button
                  type="button"
                  className="min-h-6 cursor-pointer text-left hover:underline"
                  onClick={() => viewer?.stage.lookAt(new Vector3(spot.x, spot.y, spot.z), 2.5)}
                >
                  {index + 1}. {spot.sentence}
                </button>
              </li>
            ))}
          </ol>
        )}
      </div>
      <aside aria-label={t`About the part`} className="min-w-0">
        <div role="tablist" aria-label={t`About the part`} className="flex flex-wrap gap-x-1 border-b border-rule text-sm">
          {(Object.keys(SIDES) as Side[]).map((one) => (
            <button
              key={one}
              type="button"
              role="tab"
              id={`tab-${one}`}
              aria-selected={side === one}
              aria-controls="side-panel"
              className={`cursor-pointer border-b-2 px-2 py-1 ${side === one ? "border-molten font-semibold" : "border-transparent"}`}
              onClick={() => setSide(one)}
            >
              {SIDES[one]}
            </button>
          ))}
        </div>
        <div role="tabpanel" id="side-panel" aria-labelledby={`tab-${side}`} className="pt-3">
          {side === "facts" && <Facts insight={insight.data} problem={insight.error?.message} fact={fact} onFact={setFact} part={part} />}
          {side === "turn" && <TurnAndSize part={part} save={save} />}
          {side === "stand" && <Orientations part={part} save={save} />}
          {side === "purpose" && <PurposePanel part={part} save={save} />}
        </div>
      </aside>
    </div>
  );
}

const KINDS: Record<Exclude<FactKey, "guessed">, Spot["kind"]> = {
  thickness: "thin_wall",
  details: "detail",
  overhang: "overhang",
  slopes: "slope",
  tops: "flat_top",
  bridges: "bridge",
  corners: "corner",
};

const HINTS: Record<Tool, string> = {
  look: t`Drag turns, the wheel zooms, the right button moves. Squares of the bed are a centimetre.`,
  measure: t`Click two places on the part.`,
  lay: t`Click the face that the part should stand on. Undo brings it back.`,
};
