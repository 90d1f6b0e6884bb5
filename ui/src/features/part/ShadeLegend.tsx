import { t } from "@lingui/core/macro";
import { SHADES, type Shade } from "./colours";


export function ShadeLegend({ shade, waiting }: { shade: Exclude<Shade, "plain">; waiting: boolean }) {
  const { title, steps } = SHADES[shade];
  return (
    <div className="pointer-events-none absolute bottom-2 left-2 border border-rule bg-base-100 px-2 py-1 text-xs">
      <p className="text-quiet">{waiting ? t`Looking through the part …` : title}</p>
      <ul>
        {steps.map((step) => (
          <li key={step.from} className="flex items-center gap-2">
            <span
              className="inline-block h-3 w-5 border border-rule"
              style={{ background: `rgb(${step.colour.map((one) => Math.round(255 * Math.pow(one, 1 / 2.2))).join(" ")})` }}
            />
            {step.label}
          </li>
        ))}
      </ul>
    </div>
  );
}
