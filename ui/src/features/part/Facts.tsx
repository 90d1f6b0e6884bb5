import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, take, type Insight, type Part } from "../../api/client";
import { keys } from "../../api/queries";
import { fixed, plain } from "../../lib/format";
import { useHistory, type Step } from "../../components/history";
import { useToast } from "../../components/Toasts";

export type FactKey = "thickness" | "details" | "overhang" | "slopes" | "tops" | "bridges" | "corners" | "guessed";

interface FactsProps {
  part: Part;
  insight: Insight | undefined;
  problem: string | undefined;
  fact: FactKey | null;
  onFact: (fact: FactKey | null) => void;
}

interface Row {
  key: FactKey;
  label: string;
  value: string;
  meaning: string;
  quiet?: boolean;
}

/** Facts that decide settings; a chosen one is shown on the part. */
export function Facts({ part, insight, problem, fact, onFact }: FactsProps) {
  if (problem) return <p className="text-error">{problem}</p>;
  if (insight === undefined) return <p className="text-quiet"><Trans>Measuring walls, slopes and spans …</Trans></p>;
  const rows = [...(part.guessed ? [guessedRow(part.guessed)] : []), ...rowsOf(insight)];
  return (
    <div>
      {insight.bodies > 1 && <SeveralBodies part={part} bodies={insight.bodies} />}
      <ul>
        {rows.map((row) => (
          <li key={row.key} className="border-b border-base-300">
            <button
              type="button"
              aria-pressed={fact === row.key}
              className={`w-full cursor-pointer px-1.5 py-1.5 text-left hover:bg-base-200 ${fact === row.key ? "bg-molten-wash" : ""}`}
              onClick={() => onFact(fact === row.key ? null : row.key)}
            >
              <span className="flex items-baseline justify-between gap-3">
                <span>{row.label}</span>
                <span className={row.quiet ? "text-quiet" : "font-semibold"}>{row.value}</span>
              </span>
              <span className="block text-sm text-quiet">{row.meaning}</span>
            </button>
            {fact === "thickness" && row.key === "thickness" && <Histogram insight={insight} />}
          </li>
        ))}
        <li className="px-1.5 py-1.5">
          <span className="flex items-baseline justify-between gap-3">
            <span><Trans>Footprint against height</Trans></span>
            <span className="font-semibold"><Trans>{fixed(insight.tip_angle_deg, 0)}° to tip</Trans></span>
          </span>
          <span className="block text-sm text-quiet">
            <Trans>
              {fixed(insight.footprint_mm2 / 100, 1)} cm² on the bed, {fixed(insight.footprint_width_mm, 0)} mm across, under{" "}
              {fixed(insight.height_mm, 0)} mm.{" "}
              {insight.tip_angle_deg < 8
                ? t`It falls easily: a brim, or another way to stand.`
                : insight.footprint_mm2 < 400 && insight.height_mm > 40
                  ? t`Small for its height: a brim buys that risk down.`
                  : t`It stands well.`}
            </Trans>
          </span>
        </li>
      </ul>
      <p className="mt-2 text-sm text-quiet"><Trans>Choose one to see it on the part. Measured on the part as it stands, before any recipe.</Trans></p>
    </div>
  );
}

function guessedRow(guessed: NonNullable<Part["guessed"]>): Row {
  return {
    key: "guessed",
    label: t`Guessed surface`,
    value: `${fixed(guessed.added_mm2 / 100, 1)} cm²`,
    meaning: t`${guessed.sentences.join(" ")} Look at it before you trust the figures.`,
  };
}

function rowsOf(insight: Insight): Row[] {
  const corners = insight.sharp_corners;
  const thin = insight.thinnest_mm;
  return [
    {
      key: "thickness",
      label: t`Thinnest walls`,
      value: `${fixed(thin, 2)} mm`,
      meaning:
        thin < 4
          ? t`Half of its surface has under ${fixed(insight.typical_thickness_mm, 1)} mm behind it. Walls that fit in whole lines print fast; a sliver left between them does not.`
          : t`Thick everywhere: walls and infill, not thin features, decide the time.`,
    },
    {
      key: "details",
      label: t`Smallest detail`,
      value: insight.smallest_detail_mm == null ? t`over 1.2 mm` : t`under ${plain(insight.smallest_detail_mm)} mm`,
      meaning:
        insight.smallest_detail_mm == null
          ? t`No bead up to 1.2 mm loses anything in the sections.`
          : t`A bead wider than that leaves something out; at 0.4 mm ${lost(insight, 0.4)} of the sections, at 0.8 mm ${lost(insight, 0.8)}.`,
      quiet: insight.smallest_detail_mm == null,
    },
    {
      key: "overhang",
      label: t`Overhang over 45°`,
      value: insight.overhang_mm2 < 1 ? t`none` : `${fixed(insight.overhang_mm2 / 100, 1)} cm²`,
      meaning: insight.overhang_mm2 < 1 ? t`Nothing leans out far enough to sag.` : steepest(insight),
      quiet: insight.overhang_mm2 < 1,
    },
    {
      key: "slopes",
      label: t`Slopes that show steps`,
      value: insight.slope_mm2 < 1 ? t`none` : `${fixed(insight.slope_mm2 / 100, 1)} cm²`,
      meaning:
        insight.slope_mm2 < 1
          ? t`Upright and level only: layers can be high without showing.`
          : t`Steps are as high as the layer times the cosine of the slope; low layers, or heights by slope, soften them.`,
      quiet: insight.slope_mm2 < 1,
    },
    {
      key: "tops",
      label: t`Flat tops`,
      value: insight.flat_top_mm2 < 1 ? t`none` : `${fixed(insight.flat_top_mm2 / 100, 1)} cm²`,
      meaning: t`Where top layers, one-way strokes or ironing count.`,
      quiet: insight.flat_top_mm2 < 1,
    },
    {
      key: "bridges",
      label: t`Bridges`,
      value: insight.longest_bridge_mm === 0 ? t`none` : t`up to ${fixed(insight.longest_bridge_mm, 0)} mm`,
      meaning:
        insight.longest_bridge_mm === 0
          ? t`No level underside is held at both ends.`
          : t`${fixed(insight.bridge_mm2 / 100, 1)} cm² hang free between two sides: slow strands, more fan, a little less plastic.`,
      quiet: insight.longest_bridge_mm === 0,
    },
    {
      key: "corners",
      label: t`Sharp corners on the bed`,
      value: corners === 0 ? t`none` : String(corners),
      meaning: corners === 0 ? t`Rounded, so that little pulls it off.` : t`Warping starts there, with plastics that shrink: a brim, or round them off in the drawing.`,
      quiet: corners === 0,
    },
  ];
}

function lost(insight: Insight, width: number): string {
  const share = insight.details.find((one) => one.width_mm === width)?.lost_share ?? 0;
  return share < 0.0005 ? t`nothing` : `${fixed(100 * share, 1)} %`;
}

function steepest(insight: Insight): string {
  const level = insight.overhang.filter((bin) => bin.low >= 75).reduce((sum, bin) => sum + bin.area_mm2, 0);
  const flat = level < 1 ? t`None of it is level` : t`${fixed(level / 100, 1)} cm² of it is nearly level`;
  return t`${flat}. Look for a way to stand that needs no support first.`;
}

/** How much of the surface has how much material behind it. */
function Histogram({ insight }: { insight: Insight }) {
  const whole = insight.thickness.reduce((sum, bin) => sum + bin.area_mm2, 0) || 1;
  return (
    <table className="mb-2 ml-1.5 w-[95%] text-sm">
      <caption className="text-left text-quiet"><Trans>Share of the surface by the way straight through</Trans></caption>
      <tbody>
        {insight.thickness
          .filter((bin) => bin.area_mm2 > 0.001 * whole)
          .map((bin) => (
            <tr key={bin.low}>
              <th scope="row" className="w-28 whitespace-nowrap text-left font-normal">
                {bin.high > 1000 ? t`over ${plain(bin.low)} mm` : t`${plain(bin.low)} to ${plain(bin.high)} mm`}
              </th>
              <td>
                <span className="inline-block h-3 bg-secondary align-middle" style={{ width: `${(100 * bin.area_mm2) / whole}%` }} />
              </td>
              <td className="w-12 text-right">{Math.round((100 * bin.area_mm2) / whole)} %</td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}

function SeveralBodies({ part, bodies }: { part: Part; bodies: number }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const navigate = useNavigate();
  const split = useMutation({
    mutationFn: async () =>
      take(await api.POST("/api/parts/{part_id}/split", { params: { path: { part_id: part.id } }, body: { version: part.version } })).parts,
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: keys.parts });
      const restore = (id: number) => api.POST("/api/parts/{part_id}/restore", { params: { path: { part_id: id } } });
      const remove = async (id: number) => {
        const now = take(await api.GET("/api/parts/{part_id}", { params: { path: { part_id: id } } }));
        take(await api.POST("/api/parts/{part_id}/delete", { params: { path: { part_id: id } }, body: { version: now.version } }));
      };
      const step: Step = {
        label: t`splitting ${part.name}`,
        undo: async () => {
          for (const one of made) await remove(one.id);
          take(await restore(part.id));
          await queries.invalidateQueries({ queryKey: keys.parts });
        },
        redo: async () => {
          await remove(part.id);
          for (const one of made) take(await restore(one.id));
          await queries.invalidateQueries({ queryKey: keys.parts });
        },
      };
      history.push(step);
      toast(t`${part.name} is ${made.length} parts now.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
      await navigate("/");
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <div className="mb-2 border border-rule bg-base-200 p-2 text-sm">
      <Trans>The file holds {bodies} bodies. Together they stay as they lie to each other; apart each is stood and sized by itself.</Trans>
      <button type="button" className="btn btn-outline btn-xs ml-2" disabled={split.isPending} onClick={() => split.mutate()}>
        <Trans>Split into {bodies} parts</Trans>
      </button>
    </div>
  );
}
