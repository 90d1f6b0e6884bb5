import { t } from "@lingui/core/macro";
import type { Preview } from "../../api/client";
import { fixed, plain } from "../../lib/format";

const WIDE = 340;
const HIGH = 216;

/** The nozzle's tip over stacked beads, to scale, cut across the direction of travel. */
export function BeadDrawing({ preview, name }: { preview: Preview; name: string }) {
  const bead = preview.beads[0];
  if (bead === undefined) return null;
  const { width_mm: width, height_mm: height, spacing_mm: spacing } = bead;
  const bore = preview.bore_mm;
  const columns = 3;
  const layers = 4;
  // The scale changes only with the bore, so that a higher layer looks higher while you type.
  const scale = 62 / Math.max(bore * 1.1, width * 0.72, 0.05);
  const floor = HIGH - 14;
  const beadWide = width * scale;
  const beadHigh = height * scale;
  const pitch = spacing * scale;
  const centre = WIDE * 0.5;
  const shown = Math.max(1, Math.min(layers, Math.floor((floor - 92) / beadHigh)));
  const left = (column: number) => centre + (column - (columns - 1)) * pitch - beadWide / 2;
  const top = (layer: number) => floor - (layer + 1) * beadHigh;
  const tip = top(shown - 1);
  const flat = Math.min(preview.flat_mm * scale, WIDE * 0.8);
  const half = (bore * scale) / 2;

  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        className="w-full"
        role="img"
        aria-label={t`Bead of ${name}: ${plain(width)} mm wide and ${plain(height)} mm high from a ${plain(bore)} mm bore`}
      >
        <defs>
          <pattern id="metal" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" y1="0" x2="0" y2="5" stroke="currentColor" strokeOpacity="0.4" strokeWidth="1" />
          </pattern>
        </defs>
        <line x1="0" y1={floor + 0.5} x2={WIDE} y2={floor + 0.5} stroke="currentColor" strokeWidth="1.5" />
        {Array.from({ length: shown }, (_, layer) =>
          Array.from({ length: columns }, (_unused, column) => {
            const fresh = layer === shown - 1 && column === columns - 1;
            return (
              <rect
                key={`${layer}-${column}`}
                x={left(column)}
                y={top(layer)}
                width={beadWide}
                height={beadHigh}
                rx={Math.min(beadHigh, beadWide) / 2}
                className={fresh ? "fill-molten stroke-molten" : "fill-base-300 stroke-base-content"}
                strokeWidth="0.8"
              />
            );
          }),
        )}
        <NozzleTip centre={centre} tip={tip} half={half} flat={flat} />
        <rect x={centre - half} y="-2" width={half * 2} height={tip + 2} className="fill-molten" opacity="0.85" />
        <Across x0={centre - half} x1={centre + half} y={18} text={t`bore ${plain(bore)}`} onMolten />
        <Across
          x0={left(columns - 1)}
          x1={left(columns - 1) + beadWide}
          y={floor + 8}
          text={t`width ${plain(width)}`}
          below
        />
        <Upright x={left(columns - 1) + beadWide + 14} y0={tip} y1={tip + beadHigh} text={t`height ${plain(height)}`} />
      </svg>
      <dl className="mt-2 grid grid-cols-2 gap-x-4 text-sm sm:grid-cols-3 lg:grid-cols-2">
        <Fact name={t`Width / bore`} value={fixed(width / bore, 2)} />
        <Fact name={t`Height / bore`} value={fixed(height / bore, 2)} />
        <Fact name={t`Bead area`} value={`${fixed(bead.area_mm2, 4)} mm²`} />
        <Fact name={t`Line spacing`} value={`${fixed(spacing, 3)} mm`} />
      </dl>
    </figure>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <div className="flex justify-between gap-2 border-b border-base-300 py-0.5">
      <dt className="text-quiet">{name}</dt>
      <dd>{value}</dd>
    </div>
  );
}

/** Both halves of the nozzle, cut open: flat, cone, and the bore between them. */
function NozzleTip({ centre, tip, half, flat }: { centre: number; tip: number; half: number; flat: number }) {
  const edge = Math.max(flat / 2, half + 4);
  const rise = tip;
  const side = (sign: 1 | -1) =>
    `M${centre + sign * half},${tip} L${centre + sign * edge},${tip} L${centre + sign * (edge + rise * 0.55)},0 L${centre + sign * half},0 Z`;
  return (
    <g className="text-base-content">
      {([1, -1] as const).map((sign) => (
        <g key={sign}>
          <path d={side(sign)} className="fill-base-200" />
          <path d={side(sign)} fill="url(#metal)" stroke="currentColor" strokeWidth="1" />
        </g>
      ))}
    </g>
  );
}

function Across(props: { x0: number; x1: number; y: number; text: string; onMolten?: boolean; below?: boolean }) {
  const { x0, x1, y, text } = props;
  return (
    <g className="text-base-content" stroke="currentColor" strokeWidth="1" fontSize="12">
      <path d={`M${x0},${y - 3} v6 M${x1},${y - 3} v6 M${x0},${y} H${x1}`} fill="none" />
      <g stroke="none" fill="currentColor">
        {props.onMolten ? (
          <Plate x={(x0 + x1) / 2} y={y + 16} text={text} />
        ) : (
          <text x={x1 + 8} y={y + 4}>
            {text}
          </text>
        )}
      </g>
    </g>
  );
}

/** Text on a plate of paper, so that it can be read over a hatch. */
function Plate({ x, y, text }: { x: number; y: number; text: string }) {
  const wide = text.length * 6.4 + 8;
  return (
    <g>
      <rect x={x - wide / 2} y={y - 11} width={wide} height="15" rx="2" className="fill-base-100" />
      <text x={x} y={y} textAnchor="middle">
        {text}
      </text>
    </g>
  );
}

function Upright({ x, y0, y1, text }: { x: number; y0: number; y1: number; text: string }) {
  return (
    <g className="text-base-content" stroke="currentColor" strokeWidth="1" fontSize="12">
      <path d={`M${x - 3},${y0} h6 M${x - 3},${y1} h6 M${x},${y0} V${y1}`} fill="none" />
      <text x={x + 9} y={(y0 + y1) / 2 + 4} stroke="none" fill="currentColor" className="[paint-order:stroke]">
        {text}
      </text>
    </g>
  );
}
