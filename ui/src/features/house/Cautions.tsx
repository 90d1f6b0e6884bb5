const CAUTIONS: readonly (readonly [string, string])[] = [
  ["Hot ends lined with PTFE", "stay below about 240 °C: above it the lining gives off toxic fumes."],
  ["Hot nozzle and heater", "burn. Swap only with the proper tool, by the maker’s instructions."],
  ["Thermal-runaway protection", "is never to be defeated, nor a heater wrapped beyond what its maker allows."],
  ["Styrenic, nylon and filled plastics", "need ventilation to the outside."],
  ["Drying in a kitchen oven", "overshoots and softens spools; never together with food."],
  ["Unattended and overnight printing", "is a fire risk: a smoke alarm, clear surroundings, the maker’s and the insurer’s terms."],
  ["Mains wiring and changes of the machine", "are for local codes and licensed practice."],
  ["Trimming brims and supports", "sends chips and slips blades: mind eyes and fingers."],
  ["Strength figures", "are comparisons, not ratings: nothing that carries people or could hurt someone is cleared here."],
];

/** What can hurt, and whose word goes before ours. */
export function Cautions() {
  return (
    <section aria-labelledby="cautions" className="mt-8 border-t border-rule pt-3">
      <h2 id="cautions" className="font-serif text-2xl">
        Cautions
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
