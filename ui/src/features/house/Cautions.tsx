import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";

const CAUTIONS: readonly (readonly [string, string])[] = [
  [t`Hot ends lined with PTFE`, t`stay below about 240 °C: above it the lining gives off toxic fumes.`],
  [t`Hot nozzle and heater`, t`burn. Swap only with the proper tool, by the maker’s instructions.`],
  [t`Thermal-runaway protection`, t`is never to be defeated, nor a heater wrapped beyond what its maker allows.`],
  [t`Styrenic, nylon and filled plastics`, t`need ventilation to the outside.`],
  [t`Drying in a kitchen oven`, t`overshoots and softens spools; never together with food.`],
  [t`Unattended and overnight printing`, t`is a fire risk: a smoke alarm, clear surroundings, the maker’s and the insurer’s terms.`],
  [t`Mains wiring and changes of the machine`, t`are for local codes and licensed practice.`],
  [t`Trimming brims and supports`, t`sends chips and slips blades: mind eyes and fingers.`],
  [t`Strength figures`, t`are comparisons, not ratings: nothing that carries people or could hurt someone is cleared here.`],
];

/** What can hurt, and whose word goes before ours. */
export function Cautions() {
  return (
    <section aria-labelledby="cautions" className="mt-8 border-t border-rule pt-3">
      <h2 id="cautions" className="font-serif text-2xl">
        <Trans>Cautions</Trans>
      </h2>
      <ul className="mt-1 grid grid-cols-1 gap-x-8 gap-y-1 md:grid-cols-2">
        {CAUTIONS.map(([what, why]) => (
          <li key={what}>
            <strong>{what}</strong> {why}
          </li>
        ))}
      </ul>
    </section>
  );
}
