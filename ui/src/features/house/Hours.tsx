import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Shop } from "../../api/client";
import { HouseFigure as Figure } from "./HouseFigure";

const DAYS = [t`Mon`, t`Tue`, t`Wed`, t`Thu`, t`Fri`, t`Sat`, t`Sun`] as const;

interface HoursProps {
  shop: Shop;
  onChange: (shop: Shop, label: string) => void;
}

/** When someone is there, and how often prints fail. */
export function Hours({ shop, onChange }: HoursProps) {
  const { attended } = shop;
  const days: readonly number[] = attended.days;
  const set = (change: Partial<typeof attended>, label: string) => onChange({ ...shop, attended: { ...attended, ...change } }, label);
  return (
    <section aria-labelledby="hours" className="mt-5">
      <h2 id="hours" className="font-serif text-2xl">
        <Trans>Hours</Trans>
      </h2>
      <p className="max-w-2xl text-sm text-quiet">
        <Trans>When someone is there to take a plate off and start the next: it decides how many plates a day a recipe makes.</Trans>
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <Figure label={t`Someone is there from`} unit="h" value={attended.from_h} onChange={(value) => set({ from_h: value }, "attended hours")} />
        <Figure label={t`to`} unit="h" value={attended.to_h} onChange={(value) => set({ to_h: value }, "attended hours")} />
        <span role="group" aria-label={t`On these days`} className="flex gap-1">
          {DAYS.map((name, day) => (
            <button
              key={name}
              type="button"
              aria-pressed={days.includes(day)}
              className={`btn btn-xs ${days.includes(day) ? "btn-neutral" : "btn-outline"}`}
              onClick={() => {
                const next = days.includes(day) ? days.filter((one) => one !== day) : [...days, day].sort();
                if (next.length > 0) set({ days: next }, "attended days");
              }}
            >
              {name}
            </button>
          ))}
        </span>
        <Figure
          label={t`Taking off and starting the next`}
          unit="min"
          value={attended.turnaround_min}
          onChange={(value) => set({ turnaround_min: value }, "the turnaround")}
        />
        <Figure
          label={t`Faults in a hundred printed hours`}
          unit=""
          value={100 * shop.fault_rate_per_h}
          onChange={(value) => onChange({ ...shop, fault_rate_per_h: value / 100 }, t`how often prints fail`)}
        />
        <Figure
          label={t`A print is long from`}
          unit="h"
          value={shop.long_print_h}
          onChange={(value) => onChange({ ...shop, long_print_h: value }, t`what counts as a long print`)}
        />
      </div>
    </section>
  );
}
