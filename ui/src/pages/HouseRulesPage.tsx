import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, take, type HouseRules, type Shop } from "../api/client";
import { parseNumber, plain } from "../lib/format";
import { useHistory } from "../components/history";
import { inLine } from "../lib/inLine";
import { useToast } from "../components/Toasts";

type Change = { rules?: HouseRules["rules"]; shop?: Shop };

const KEY = ["house-rules"] as const;

/** Where good practitioners disagree: which school this workshop follows; its hours; and the cautions. */
export default function HouseRulesPage() {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  useEffect(() => {
    document.title = "House rules · Mean Bead";
  }, []);
  // What was clicked shows at once, until the answer is there.
  const [clicked, setClicked] = useState<Partial<Record<string, string>>>({});
  const house = useQuery({ queryKey: KEY, queryFn: async () => take(await api.GET("/api/house-rules")) });
  const store = (change: Change) =>
    inLine("house rules", async () => {
      const now = queries.getQueryData<HouseRules>(KEY);
      if (now === undefined) return;
      // Shown at once; a refusal fetches what is really stored.
      queries.setQueryData<HouseRules>(KEY, { ...now, ...change });
      queries.setQueryData(KEY, take(await api.PATCH("/api/house-rules", { body: { version: now.version, ...change } })));
      await queries.invalidateQueries({ queryKey: ["findings"] });
    });
  const change = useMutation({
    mutationFn: async ({ to, from, label }: { to: Change; from: Change; label: string }) => {
      await store(to);
      history.push({ label, undo: () => store(from), redo: () => store(to) });
    },
    onSettled: () => setClicked({}),
    onError: async (error) => {
      toast(error.message, { tone: "error" });
      await queries.invalidateQueries({ queryKey: KEY });
    },
  });
  if (house.isError) return <p className="py-6 text-error">{house.error.message}</p>;
  if (house.data === undefined) return <p className="py-10 text-quiet">Fetching the rules …</p>;
  const { matters, rules } = house.data;
  const shop = house.data.shop as Shop;
  const chosen = rules as Record<string, string>;
  return (
    <div className="py-6">
      <h1 className="font-serif text-3xl">House rules</h1>
      <p className="max-w-2xl text-quiet">
        Good practitioners disagree on these. Findings and levers follow the school that is chosen here, and say so.
      </p>
      <Hours shop={shop} onChange={(next, label) => change.mutate({ to: { shop: next }, from: { shop }, label })} />
      <h2 className="mt-6 font-serif text-2xl">Schools</h2>
      <div className="mt-2 grid grid-cols-1 gap-x-8 gap-y-5 md:grid-cols-2">
        {matters.map((matter) => (
          <fieldset key={matter.key} className="border-t border-rule pt-2">
            <legend className="sr-only">{matter.label}</legend>
            <p>
              <strong>{matter.label}.</strong> <span className="text-quiet">{matter.question}</span>
            </p>
            {matter.schools.map((school, index) => (
              <label key={school.value} className="mt-1 flex items-start gap-2">
                <input
                  type="radio"
                  className="radio radio-xs mt-1"
                  name={matter.key}
                  checked={(clicked[matter.key] ?? chosen[matter.key]) === school.value}
                  onChange={() => {
                    setClicked({ ...clicked, [matter.key]: school.value });
                    change.mutate({
                      to: { rules: { ...rules, [matter.key]: school.value } },
                      from: { rules },
                      label: `the house rule on ${matter.label.toLowerCase()}`,
                    });
                  }}
                />
                <span>
                  {school.label}
                  {index === 0 && <span className="text-xs text-quiet"> usual</span>}
                  <span className="block text-sm text-quiet">{school.reason}</span>
                </span>
              </label>
            ))}
          </fieldset>
        ))}
      </div>
      <Cautions />
    </div>
  );
}

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;

interface HoursProps {
  shop: Shop;
  onChange: (shop: Shop, label: string) => void;
}

/** When someone is there, and how often prints fail. */
function Hours({ shop, onChange }: HoursProps) {
  const { attended } = shop;
  const days: readonly number[] = attended.days;
  const set = (change: Partial<typeof attended>, label: string) => onChange({ ...shop, attended: { ...attended, ...change } }, label);
  return (
    <section aria-labelledby="hours" className="mt-5">
      <h2 id="hours" className="font-serif text-2xl">
        Hours
      </h2>
      <p className="max-w-2xl text-sm text-quiet">
        When someone is there to take a plate off and start the next: it decides how many plates a day a recipe makes.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <Figure label="Someone is there from" unit="h" value={attended.from_h} onChange={(value) => set({ from_h: value }, "attended hours")} />
        <Figure label="to" unit="h" value={attended.to_h} onChange={(value) => set({ to_h: value }, "attended hours")} />
        <span role="group" aria-label="On these days" className="flex gap-1">
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
          label="Taking off and starting the next"
          unit="min"
          value={attended.turnaround_min}
          onChange={(value) => set({ turnaround_min: value }, "the turnaround")}
        />
        <Figure
          label="Faults in a hundred printed hours"
          unit=""
          value={100 * shop.fault_rate_per_h}
          onChange={(value) => onChange({ ...shop, fault_rate_per_h: value / 100 }, "how often prints fail")}
        />
        <Figure
          label="A print is long from"
          unit="h"
          value={shop.long_print_h}
          onChange={(value) => onChange({ ...shop, long_print_h: value }, "what counts as a long print")}
        />
      </div>
    </section>
  );
}

interface FigureProps {
  label: string;
  unit: string;
  value: number;
  onChange: (value: number) => void;
}

function Figure({ label, unit, value, onChange }: FigureProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const commit = () => {
    const number = typed === null ? NaN : parseNumber(typed);
    setTyped(null);
    if (!Number.isNaN(number) && number !== value) onChange(number);
  };
  return (
    <label className="flex items-center gap-1.5">
      {label}
      <input
        className="input input-xs w-16 border-rule bg-base-100 text-right"
        inputMode="decimal"
        value={typed ?? plain(value)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setTyped(null);
        }}
      />
      <span className="text-quiet">{unit}</span>
    </label>
  );
}

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

function Cautions() {
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
