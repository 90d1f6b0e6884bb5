import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { parseNumber } from "../lib/format";

interface LabelSize {
  width: string;
  height: string;
  page: "" | "a4" | "letter";
  marginX: string;
  marginY: string;
  gapX: string;
  gapY: string;
  skip: string;
}

const KEY = "meanbead.labels";
const USUAL: LabelSize = { width: "62", height: "29", page: "a4", marginX: "8", marginY: "12", gapX: "2", gapY: "2", skip: "0" };

function kept(): LabelSize {
  try {
    return { ...USUAL, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<LabelSize>) };
  } catch {
    return USUAL;
  }
}

/** Tags for pieces: any size, one by one or a whole sheet. */
export default function LabelsPage() {
  const runs = useSearchParams()[0].get("runs") ?? "";
  const [size, setSize] = useState(kept);
  useEffect(() => {
    document.title = t`Labels · Mean Bead`;
  }, []);
  const change = (part: Partial<LabelSize>) => {
    const next = { ...size, ...part };
    setSize(next);
    localStorage.setItem(KEY, JSON.stringify(next));
  };
  const figures = { width_mm: size.width, height_mm: size.height, margin_x_mm: size.marginX, margin_y_mm: size.marginY, gap_x_mm: size.gapX, gap_y_mm: size.gapY, skip: size.skip };
  const wrong = Object.values(figures).some((text) => Number.isNaN(parseNumber(text)));
  const query = new URLSearchParams({ runs, page: size.page, ...Object.fromEntries(Object.entries(figures).map(([name, text]) => [name, String(parseNumber(text))])) });
  const address = `/api/labels.pdf?${query.toString()}`;
  if (!/^\d+(,\d+)*$/.test(runs)) {
    return (
      <p className="py-10">
        <Trans>
          Tick runs in the{" "}
          <Link className="underline" to="/log">
            log
          </Link>{" "}
          first.
        </Trans>
      </p>
    );
  }
  const figure = (label: string, name: keyof LabelSize, unit = "mm") => (
    <label className="flex items-center justify-between gap-2 text-sm">
      {label}
      <span>
        <input className="input input-sm w-20 border-rule bg-base-100 text-right" inputMode="decimal" value={size[name]} onChange={(event) => change({ [name]: event.target.value })} /> {unit}
      </span>
    </label>
  );
  return (
    <div className="py-5">
      <p className="text-sm">
        <Link to="/log" className="underline">
          <Trans>Log</Trans>
        </Link>
      </p>
      <h1 className="font-serif text-3xl"><Trans>Labels</Trans></h1>
      <div className="mt-3 grid gap-6 md:grid-cols-[16rem_minmax(0,1fr)]">
        <form className="space-y-2" onSubmit={(event) => event.preventDefault()}>
          {figure(t`Label, width`, "width")}
          {figure(t`Label, height`, "height")}
          <label className="flex items-center justify-between gap-2 text-sm">
            <Trans>Printed on</Trans>
            <select className="select select-sm w-32 border-rule" value={size.page} onChange={(event) => change({ page: event.target.value as LabelSize["page"] })}>
              <option value="a4">{t`A4 sheets`}</option>
              <option value="letter">{t`Letter sheets`}</option>
              <option value="">{t`a label printer`}</option>
            </select>
          </label>
          {size.page !== "" && (
            <>
              {figure(t`Margin, sides`, "marginX")}
              {figure(t`Margin, top and bottom`, "marginY")}
              {figure(t`Gap, across`, "gapX")}
              {figure(t`Gap, down`, "gapY")}
              {figure(t`Places used already`, "skip", "")}
            </>
          )}
          <a className={`btn btn-primary btn-sm w-full font-normal ${wrong ? "btn-disabled" : ""}`} href={address} target="_blank" rel="noreferrer">
            <Trans>Open the PDF</Trans>
          </a>
          <p className="text-sm text-quiet"><Trans>The code on a label opens its run on any phone that is signed in. Sizes are remembered on this device. Print at 100 %.</Trans></p>
        </form>
        {wrong ? <p className="text-error"><Trans>Each size is a number, in millimetres.</Trans></p> : <Sheet size={size} count={runs.split(",").length} />}
      </div>
    </div>
  );
}

/** The page as it will come out, to scale. */
function Sheet({ size, count }: { size: LabelSize; count: number }) {
  const [w, h] = [parseNumber(size.width), parseNumber(size.height)];
  const [pageW, pageH] = size.page === "a4" ? [210, 297] : size.page === "letter" ? [215.9, 279.4] : [w, h];
  const [mx, my, gx, gy] = size.page === "" ? [0, 0, 0, 0] : [size.marginX, size.marginY, size.gapX, size.gapY].map(parseNumber) as [number, number, number, number];
  const across = size.page === "" ? 1 : Math.floor((pageW - 2 * mx + gx + 1e-6) / (w + gx));
  const down = size.page === "" ? 1 : Math.floor((pageH - 2 * my + gy + 1e-6) / (h + gy));
  if (!(across >= 1 && down >= 1)) return <p className="text-error"><Trans>Not one label fits on the page: make the label or the margins smaller.</Trans></p>;
  const skip = size.page === "" ? 0 : Math.min(Math.max(0, Math.round(parseNumber(size.skip))), across * down - 1);
  const cells = Array.from({ length: Math.min(across * down, 400) }, (_, at) => at);
  return (
    <figure>
      <svg viewBox={`0 0 ${pageW} ${pageH}`} className="max-h-[34rem] max-w-full border border-rule bg-base-100" style={{ aspectRatio: `${pageW} / ${pageH}`, width: size.page === "" ? "20rem" : "26rem" }} role="img" aria-label={t`${across} across, ${down} down`}>
        {cells.map((at) => {
          const [x, y] = [mx + (at % across) * (w + gx), my + Math.floor(at / across) * (h + gy)];
          const used = at >= skip && at < skip + count;
          const side = Math.min(h * 0.9, 0.38 * w);
          return (
            <g key={at}>
              <rect x={x} y={y} width={w} height={h} fill={used ? "var(--molten-wash)" : "none"} stroke="var(--rule)" strokeWidth="0.5" />
              {used && <rect x={x + w - side - h * 0.05} y={y + (h - side) / 2} width={side} height={side} fill="var(--quiet)" opacity="0.35" />}
              {used && <path d={`M${x + 2} ${y + h * 0.22}h${w * 0.4}M${x + 2} ${y + h * 0.45}h${w * 0.45}M${x + 2} ${y + h * 0.62}h${w * 0.35}M${x + 2} ${y + h * 0.8}h${w * 0.4}`} stroke="var(--quiet)" strokeWidth={Math.max(0.6, h / 30)} />}
            </g>
          );
        })}
      </svg>
      <figcaption className="mt-1 text-sm text-quiet">
        <Trans>{across} across, {down} down; <Plural value={count} one="# label" other="# labels" /> on <Plural value={Math.ceil((skip + count) / (across * down))} one="# page" other="# pages" />.</Trans>
      </figcaption>
    </figure>
  );
}
