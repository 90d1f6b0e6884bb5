import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, take, type SearchResult, type Part, type RecipeColumn, type SearchLimits, type SearchStart } from "../api/client";
import { useJob } from "../api/jobs";
import { useColumns, useMeasures, useShelf } from "../api/queries";
import { formatDuration, formatDurationDifference, formatGrams, signed } from "../lib/format";
import { JobBar } from "../components/JobBar";
import { useToast } from "../components/Toasts";
import { applyBeside } from "../features/advice/apply";
import { useSheet } from "../features/sheet/useSheet";
import { usePartOfPage } from "./PartLayout";
import { LimitsPanel, typedValues, VaryPanel, type Vary } from "../features/tradeoff/Asked";
import { Cloud, type Mark } from "../features/tradeoff/Cloud";
import { AXES, describe, kneeOf, nonDominated, shortName, SLIDES, type Against, type Axis } from "../features/tradeoff/frontier";

const MOST_PICKED = 6;
const NONE: ReadonlySet<number> = new Set();

/** All that the limits allow around one column: the frontier of time against filament. */
export default function TradeoffPage() {
  const part = usePartOfPage();
  const columns = useColumns(part.id);
  const usable = (columns.data ?? []).filter((column) => !column.gcode && column.problem == null);
  const [wanted, setWanted] = useState<number | null>(null);
  const column = usable.find((one) => one.id === wanted) ?? usable[0];
  const start = useQuery({
    queryKey: ["search-start", column?.id, column?.version, part.version, part.facts.digest],
    queryFn: async () =>
      take(await api.GET("/api/recipes/{recipe_id}/search", { params: { path: { recipe_id: column?.id ?? 0 } } })),
    enabled: column !== undefined,
    staleTime: Infinity,
  });
  if (columns.isError) return <p className="py-6 text-error">{columns.error.message}</p>;
  if (columns.data !== undefined && column === undefined)
    return <p className="py-8 text-quiet">There is no recipe to look around. Add a column on the bench first.</p>;
  if (start.isError) return <p className="py-6 text-error">{start.error.message}</p>;
  if (column === undefined || start.data === undefined) return <p className="py-10 text-quiet">Measuring the part …</p>;
  return (
    <Around
      key={`${column.id}:${column.version}`}
      part={part}
      column={column}
      columns={usable}
      start={start.data}
      onColumn={setWanted}
    />
  );
}

interface AroundProps {
  part: Part;
  column: RecipeColumn;
  columns: RecipeColumn[];
  start: SearchStart;
  onColumn: (id: number) => void;
}

function Around({ part, column, columns, start, onColumn }: AroundProps) {
  const shelf = useShelf().data;
  const [off, setOff] = useState<ReadonlySet<string>>(new Set());
  const [typed, setTyped] = useState<Partial<Record<string, string>>>({});
  const [limits, setLimits] = useState<SearchLimits>(start.limits);
  const [against, setAgainst] = useState<Against>("filament_g");
  const measured = useMeasures(columns, part);
  const own = measured[columns.findIndex((one) => one.id === column.id)];
  const axis: Axis = AXES.find((one) => one.key === against) ?? (AXES[0] as Axis);

  const vary = useMemo<Vary>(() => {
    const asked: Vary = {};
    for (const [key, values] of Object.entries(start.vary)) {
      if (off.has(key)) continue;
      const text = typed[key];
      asked[key] = (text === undefined ? null : typedValues(key, text, shelf)) ?? values;
    }
    return asked;
  }, [start.vary, off, typed, shelf]);
  const work = useJob([column.id, column.version, part.version, part.facts.digest, vary, limits, against], async () =>
    take(
      await api.POST("/api/recipes/{recipe_id}/search", {
        params: { path: { recipe_id: column.id } },
        body: { vary, limits, against },
      }),
    ),
  );
  const found = work.job?.search ?? undefined;
  const marks: Mark[] = columns.flatMap((one, at) => {
    // The search has computed its own column in full.
    const measures = found && one.id === column.id ? found.base : measured[at];
    return measures === undefined ? [] : [{ name: one.name, measures }];
  });
  const space = Object.values(vary).reduce((product, values) => product * values.length, 1);
  return (
    <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[minmax(0,1fr)_320px]">
      <div className="min-w-0">
        {found ? (
          <Answer found={found} part={part} column={column} marks={marks} complete={work.job?.state === "done"} />
        ) : (
          <div className="border-y border-rule py-3">
            <h2 className="font-serif text-2xl">Everything the limits allow</h2>
            <p className="mt-1 max-w-xl">
              Say what may vary and which limits hold; hundreds of recipes around {column.name} are then computed on this
              part, and the ones that no other beats in both minutes and grams are drawn as a line. So far these are your columns:
            </p>
            {marks.length > 0 ? (
              <Cloud dots={[]} shown={[]} frontier={[]} knee={undefined} picked={NONE} columns={marks} axis={axis} describe={() => ""} onPick={() => undefined} />
            ) : (
              <p className="py-10 text-quiet">Computing your columns …</p>
            )}
          </div>
        )}
        <div className="mt-2">
          <JobBar work={work} what="Searching" />
        </div>
      </div>
      <aside className="space-y-4 lg:order-none" aria-label="What to search">
        <div className="flex flex-wrap items-center gap-2 text-sm">
          <label>
            Around{" "}
            <select
              className="select select-xs w-40 border-rule bg-base-100"
              value={column.id}
              onChange={(event) => onColumn(Number(event.target.value))}
            >
              {columns.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
            </select>
          </label>
          <label>
            Time against{" "}
            <select
              className="select select-xs w-36 border-rule bg-base-100"
              value={against}
              onChange={(event) => setAgainst(event.target.value as Against)}
            >
              {AXES.map((one) => (
                <option key={one.key} value={one.key}>
                  {one.label}
                </option>
              ))}
            </select>
          </label>
        </div>
        <button type="button" className="btn btn-accent btn-sm w-full" disabled={work.busy || space < 2} onClick={work.start}>
          {found ? "Search again" : "Search"} {space > 500 ? `500 of ${space.toLocaleString("en")} recipes` : `all ${space} recipes`}
        </button>
        <VaryPanel
          all={start.vary}
          off={off}
          typed={typed}
          shelf={shelf}
          onToggle={(key) => {
            const next = new Set(off);
            if (!next.delete(key)) next.add(key);
            setOff(next);
          }}
          onType={(key, text) => setTyped({ ...typed, [key]: text })}
        />
        <LimitsPanel limits={limits} base={own} baseName={column.name} onChange={setLimits} />
      </aside>
    </div>
  );
}

interface AnswerProps {
  found: SearchResult;
  part: Part;
  column: RecipeColumn;
  marks: Mark[];
  complete: boolean;
}

function Answer({ found, part, column, marks, complete }: AnswerProps) {
  const shelf = useShelf().data;
  const actions = useSheet(part.id);
  const navigate = useNavigate();
  const toast = useToast();
  const axis: Axis = AXES.find((one) => one.key === found.against) ?? (AXES[0] as Axis);
  const [slides, setSlides] = useState<Partial<Record<string, number>>>({});
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set());

  const varying = useMemo(() => {
    const values: Record<string, Set<unknown>> = {};
    for (const dot of found.dots) for (const [key, value] of Object.entries(dot.values)) (values[key] ??= new Set()).add(value);
    return new Set(Object.keys(values).filter((key) => (values[key]?.size ?? 0) > 1));
  }, [found.dots]);
  const points = useMemo(
    () => found.dots.map((dot) => [dot.measures.piece_time_s, axis.of(dot.measures)] as const),
    [found.dots, axis],
  );
  const shown = found.dots.flatMap((dot, number) =>
    SLIDES.every((slide) => {
      const bound = slides[slide.key];
      if (bound === undefined) return true;
      const value = slide.of(dot.measures);
      return slide.end === "most" ? value <= bound + 1e-9 : value >= bound - 1e-9;
    })
      ? [number]
      : [],
  );
  const sliding = Object.values(slides).some((one) => one !== undefined);
  // A line is only drawn through what was computed in full.
  const whole = shown.filter((number) => found.dots[number]?.full);
  const frontier = sliding || !complete ? nonDominated(points, whole) : found.frontier;
  const knee = kneeOf(points, frontier);
  const say = (number: number) => {
    const dot = found.dots[number];
    return dot === undefined ? "" : describe(dot, varying, shelf);
  };
  const pick = (number: number) => {
    if (number < 0) return;
    const next = new Set(picked);
    if (!next.delete(number)) {
      if (next.size === MOST_PICKED) {
        toast(`Up to ${MOST_PICKED} recipes can be picked at once.`);
        return;
      }
      next.add(number);
    }
    setPicked(next);
  };
  const toBench = async () => {
    try {
      for (const number of picked) {
        const dot = found.dots[number];
        if (dot) await applyBeside(actions, column, dot.settings, shortName(dot, shelf));
      }
      await navigate(`/parts/${part.id}`);
    } catch (error) {
      toast(error instanceof Error ? error.message : String(error), { tone: "error" });
    }
  };
  if (found.dots.length === 0) {
    return (
      <div className="border-y border-rule py-4">
        <h2 className="font-serif text-2xl">{complete && found.doubt === "" ? "Nothing within these limits" : "Nothing yet"}</h2>
        <p className="mt-1">
          {found.computed} recipes computed, {found.broke_limits} over a limit, {found.discarded} ruled out before.
          {complete && (found.doubt || " Loosen a limit, or let more vary.")}
        </p>
      </div>
    );
  }
  const named: [string, number | undefined][] = [
    ["Fastest", frontier[0]],
    ["At the bend", knee],
    ["Leanest", frontier.at(-1)],
  ];
  return (
    <div>
      <h2 className="sr-only">The answer</h2>
      <Sentence found={found} marks={marks} narrowed={sliding} frontier={frontier} knee={knee} axis={axis} say={say} exact={complete && !sliding} baseName={column.name} />
      <Cloud
        dots={found.dots}
        shown={shown}
        frontier={frontier}
        knee={knee}
        picked={picked}
        columns={marks}
        axis={axis}
        describe={(dot) => describe(dot, varying, shelf)}
        onPick={pick}
      />
      <p className="flex flex-wrap gap-x-4 text-xs text-quiet">
        <span>
          {found.computed} computed of {found.space.toLocaleString("en")}, {found.discarded} ruled out before, {found.broke_limits} over a limit
        </span>
        <span>line and dark dots: all layers computed; light: a sample of them</span>
        <span>ring: where it bends</span>
        <span>tab: just fits before the next plate</span>
        <span>square: your columns</span>
        <span>d: the nozzle’s bore</span>
      </p>
      <Slides found={found} slides={slides} onSlide={(key, value) => setSlides({ ...slides, [key]: value })} onClear={() => setSlides({})} count={shown.length} />
      <div className="mt-4 flex flex-wrap items-baseline gap-3">
        <h3 className="font-serif text-xl">On the line</h3>
        <button type="button" className="btn btn-accent btn-sm ml-auto" disabled={picked.size === 0} onClick={() => void toBench()}>
          {picked.size === 0 ? "Pick up to six for the bench" : `Take ${picked.size} to the bench`}
        </button>
      </div>
      <div className="overflow-x-auto">
        <table className="mt-1 w-full text-sm">
          <thead className="text-left text-quiet">
            <tr>
              <th scope="col" className="font-normal">
                <span className="sr-only">Pick</span>
              </th>
              <th scope="col" className="font-normal">Recipe</th>
              <th scope="col" className="text-right font-normal">Time</th>
              <th scope="col" className="text-right font-normal">Filament</th>
              <th scope="col" className="text-right font-normal">Plates a day</th>
              <th scope="col" className="pl-3 text-right font-normal">Shell</th>
              <th scope="col" className="text-right font-normal">Bend</th>
              <th scope="col" className="text-right font-normal">Steps</th>
            </tr>
          </thead>
          <tbody>
            {[...new Set([...frontier, ...picked])].map((number) => {
              const dot = found.dots[number];
              if (dot === undefined) return null;
              const m = dot.measures;
              const name = named.filter(([, at]) => at === number).map(([word]) => word);
              return (
                <tr key={number} className="border-t border-rule">
                  <td className="py-1 pr-2">
                    <input
                      type="checkbox"
                      className="checkbox checkbox-xs"
                      aria-label={`Pick ${say(number)}`}
                      checked={picked.has(number)}
                      onChange={() => pick(number)}
                    />
                  </td>
                  <th scope="row" className="text-left font-normal">
                    {name.length > 0 && <strong>{name.join(", ")}: </strong>}
                    {say(number)}
                    {dot.just_fits && <span className="text-quiet"> · just fits its slot</span>}
                  </th>
                  <td className="whitespace-nowrap pl-3 text-right">
                    {formatDuration(m.piece_time_s)} <span className="text-quiet">{formatDurationDifference(m.piece_time_s - found.base.piece_time_s)}</span>
                  </td>
                  <td className="whitespace-nowrap pl-3 text-right">
                    {formatGrams(m.filament_g)} <span className="text-quiet">{signed(m.filament_g - found.base.filament_g, 1)}</span>
                  </td>
                  <td className="pl-3 text-right">{m.plates_per_day.toFixed(1)}</td>
                  <td className="whitespace-nowrap pl-3 text-right">{m.shell_mm.toFixed(2)} mm</td>
                  <td className="pl-3 text-right">{m.bend.toFixed(2)}</td>
                  <td className="whitespace-nowrap pl-3 text-right">{m.ridge_mm.toFixed(2)} mm</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </div>
  );
}

interface SentenceProps {
  found: SearchResult;
  marks: readonly Mark[];
  narrowed: boolean;
  frontier: readonly number[];
  knee: number | undefined;
  axis: Axis;
  say: (number: number) => string;
  exact: boolean;
  baseName: string;
}

/** The answer in a sentence or two: the fastest, the leanest and the bend, each with what it gives up. */
function Sentence({ found, marks, narrowed, frontier, knee, axis, say, exact, baseName }: SentenceProps) {
  const fastest = frontier[0];
  const leanest = frontier.at(-1);
  if (fastest === undefined || leanest === undefined) {
    return <p className="border-y border-rule py-2 text-quiet">{exact || narrowed ? "Nothing that was computed in full passes these limits." : "The first recipes are being computed …"}</p>;
  }
  const figures = (number: number) => {
    const m = found.dots[number]?.measures;
    return m === undefined ? "" : `${formatDuration(m.piece_time_s)} and ${axis.show(axis.of(m))}`;
  };
  const gives = (number: number) => {
    if (!exact) return "";
    const corner = [found.fastest, found.knee, found.leanest].find((one) => one?.dot === number);
    return corner && corner.gives_up.length > 0 ? ` It gives up: ${corner.gives_up.join(", ")}.` : corner ? " It gives up nothing." : "";
  };
  // A column that no recipe of the line is at least as good as, in both figures: the line must not seem to be the end of it.
  const beyond = marks.filter(
    ({ measures }) =>
      !frontier.some((number) => {
        const m = found.dots[number]?.measures;
        return m !== undefined && m.piece_time_s <= 1.001 * measures.piece_time_s && axis.of(m) <= axis.of(measures) + 0.001 * Math.abs(axis.of(measures));
      }),
  );
  const base = `${formatDuration(found.base.piece_time_s)} and ${axis.show(axis.of(found.base))}`;
  return (
    <div className="border-y border-rule py-2" data-testid="answer">
      <p className="text-sm text-quiet">
        {baseName} takes {base}.
      </p>
      <p>
        <strong className="font-serif text-xl">Fastest {figures(fastest)}</strong>
        <span className="text-sm"> {say(fastest)}.{gives(fastest)}</span>
      </p>
      {knee !== undefined && knee !== fastest && knee !== leanest && (
        <p>
          <strong className="font-serif text-xl">At the bend {figures(knee)}</strong>
          <span className="text-sm"> {say(knee)}.{gives(knee)}</span>
        </p>
      )}
      {leanest !== fastest ? (
        <p>
          <strong className="font-serif text-xl">Leanest {figures(leanest)}</strong>
          <span className="text-sm"> {say(leanest)}.{gives(leanest)}</span>
        </p>
      ) : (
        <p className="text-sm">It is the leanest, too: nothing that was allowed uses less.</p>
      )}
      {exact && beyond.length > 0 && (
        <p className="text-sm" data-testid="beyond">
          Beyond the line, of your own: {beyond.map(({ name, measures }) => `${name} with ${formatDuration(measures.piece_time_s)} and ${axis.show(axis.of(measures))}`).join("; ")}. What may vary
          here does not reach there, or a limit forbids it.
        </p>
      )}
      <p className="text-sm text-quiet" data-testid="sure">
        {narrowed
          ? "Of those computed in full: lighter dots are known from a sample of layers only."
          : !exact
            ? "Not final: recipes are still being computed."
            : found.proven
              ? `Sure within 1 %: of ${found.computed} recipes looked at, ${found.in_full} were computed in full, and none of the others could beat the line by more.${found.complete ? "" : ` The space holds ${found.space.toLocaleString("en")}: what was not looked at may still be better.`}`
              : found.doubt}
      </p>
    </div>
  );
}

interface SlidesProps {
  found: SearchResult;
  slides: Partial<Record<string, number>>;
  onSlide: (key: string, value: number | undefined) => void;
  onClear: () => void;
  count: number;
}

/** Limits that filter what was found at once. */
function Slides({ found, slides, onSlide, onClear, count }: SlidesProps) {
  return (
    <fieldset className="mt-3 border-t border-rule pt-2">
      <legend className="sr-only">Narrow it down</legend>
      <div className="flex items-baseline gap-3">
        <h3 className="font-serif text-xl">Narrow it down</h3>
        <span className="text-sm text-quiet" role="status">
          {count} of {found.dots.length} dots
        </span>
        {Object.values(slides).some((one) => one !== undefined) && (
          <button type="button" className="btn btn-ghost btn-xs" onClick={onClear}>
            Show all
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
