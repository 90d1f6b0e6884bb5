import { Trans } from "@lingui/react/macro";
import { type SearchResult } from "../../api/client";
import { SLIDES } from "./frontier";


interface SlidesProps {
  found: SearchResult;
  slides: Partial<Record<string, number>>;
  onSlide: (key: string, value: number | undefined) => void;
  onClear: () => void;
  count: number;
}

/** Limits that filter what was found at once. */
export function Slides({ found, slides, onSlide, onClear, count }: SlidesProps) {
  return (
    <fieldset className="mt-3 border-t border-rule pt-2">
      <legend className="sr-only"><Trans>Narrow it down</Trans></legend>
      <div className="flex items-baseline gap-3">
        <h3 className="font-serif text-xl"><Trans>Narrow it down</Trans></h3>
        <span className="text-sm text-quiet" role="status">
          <Trans>{count} of {found.dots.length} dots</Trans>
        </span>
        {Object.values(slides).some((one) => one !== undefined) && (
          <button type="button" className="btn btn-ghost btn-xs" onClick={onClear}>
            <Trans>Show all</Trans>
          </button>
        )}
      </div>
      <div className="grid grid-cols-1 gap-x-6 gap-y-1 sm:grid-cols-2 xl:grid-cols-3">
        {SLIDES.map((slide) => {
          const values = found.dots.map((dot) => slide.of(dot.measures));
          const low = Math.min(...values);
          const high = Math.max(...values);
          if (high - low < 1e-6) return null;
          const loose = slide.end === "most" ? high : low;
          const value = slides[slide.key] ?? loose;
          const step = (high - low) / 100;
          return (
            <label key={slide.key} className="text-sm">
              <span className="flex justify-between">
                <span>{slide.label}</span>
                <span className={slides[slide.key] === undefined ? "text-quiet" : "font-semibold"}>{slide.show(value)}</span>
              </span>
              <input
                type="range"
                className="range range-xs w-full text-secondary [--range-fill:0]"
                min={low}
                max={high}
                step={step}
                value={value}
                aria-valuetext={slide.show(value)}
                onChange={(event) => {
                  const next = Number(event.target.value);
                  onSlide(slide.key, Math.abs(next - loose) < step / 2 ? undefined : next);
                }}
              />
            </label>
          );
        })}
      </div>
    </fieldset>
  );
}
