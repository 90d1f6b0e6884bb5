import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { memo, useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { type SearchResult, type Part, type RecipeColumn } from "../../api/client";
import { useExpected } from "../../api/learning";
import { useShelf } from "../../api/queries";
import { formatDuration, formatDurationDifference, formatGrams, grouped, signed } from "../../lib/format";
import { useToast } from "../../components/Toasts";
import { applyBeside } from "../advice/apply";
import { useSheet } from "../sheet/useSheet";
import { Cloud, type Mark } from "./Cloud";
import { AXES, describe, kneeOf, nonDominated, shortName, SLIDES, type Axis } from "./frontier";

import { Sentence } from "./Sentence";
import { Slides } from "./Slides";

const MOST_PICKED = 6;

interface AnswerProps {
  found: SearchResult;
  part: Part;
  column: RecipeColumn;
  marks: Mark[];
  complete: boolean;
}

/** What a search has found, drawn anew only where that is new. */
export const Answer = memo(function Answer({ found, part, column, marks, complete }: AnswerProps) {
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
  const asked = [...new Set([...frontier, ...picked])].filter((number) => found.dots[number] !== undefined).slice(0, 200);
  const expected = useExpected(column, asked.flatMap((number) => found.dots[number]?.measures.by_cause ?? []), undefined, complete).data;
  const here = (number: number) => {
    const print = expected?.prints[asked.indexOf(number)];
    const pieces = found.dots[number]?.measures.pieces ?? 1;
    return print && expected.runs > 0 && pieces === 1 ? t`${formatDuration(print.low_s)} to ${formatDuration(print.high_s)}` : "";
  };
  const say = (number: number) => {
    const dot = found.dots[number];
    return dot === undefined ? "" : describe(dot, varying, shelf);
  };
  const pick = (number: number) => {
    if (number < 0) return;
    const next = new Set(picked);
    if (!next.delete(number)) {
      if (next.size === MOST_PICKED) {
        toast(t`Up to ${MOST_PICKED} recipes can be picked at once.`);
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
        <h2 className="font-serif text-2xl">{complete && found.doubt === "" ? (found.complete ? t`Nothing within these limits` : t`Nothing found within these limits`) : t`Nothing yet`}</h2>
        <p className="mt-1">
          <Trans>
            {found.computed} recipes computed, {found.broke_limits} over a limit, {found.discarded} ruled out before.
            {complete && (found.doubt || t` Loosen a limit, or let more vary.`)}
          </Trans>
        </p>
        {complete && (found.ruled_out?.length ?? 0) > 0 && (
          <>
            <p className="mt-2"><Trans>What ruled them out, with the one that came nearest:</Trans></p>
            <ul className="list-disc pl-5">
              {found.ruled_out?.map((one) => (
                <li key={one.sentence}>
                  <Trans>{grouped(one.count)} times: {one.sentence}</Trans>
                </li>
              ))}
            </ul>
          </>
        )}
      </div>
    );
  }
  const named: [string, number | undefined][] = [
    [t`Fastest`, frontier[0]],
    [t`At the bend`, knee],
    [t`Leanest`, frontier.at(-1)],
  ];
  return (
    <div>
      <h2 className="sr-only"><Trans>The answer</Trans></h2>
      <Sentence expect={(number) => (here(number) === "" ? "" : t` Expect ${here(number)} here, ${expected?.basis ?? ""}.`)} found={found} marks={marks} narrowed={sliding} frontier={frontier} knee={knee} axis={axis} say={say} exact={complete && !sliding} baseName={column.name} />
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
          <Trans>{found.computed} computed of {grouped(found.space)}, {found.discarded} ruled out before, {found.broke_limits} over a limit</Trans>
        </span>
        <span><Trans>line and dark dots: all layers computed; light: a sample of them</Trans></span>
        <span><Trans>ring: where it bends</Trans></span>
        <span><Trans>tab: just fits before the next plate</Trans></span>
        <span><Trans>square: your columns</Trans></span>
        <span><Trans>d: the nozzle’s bore</Trans></span>
      </p>
      <Slides found={found} slides={slides} onSlide={(key, value) => setSlides({ ...slides, [key]: value })} onClear={() => setSlides({})} count={shown.length} />
      <div className="mt-4 flex flex-wrap items-baseline gap-3">
        <h3 className="font-serif text-xl"><Trans>On the line</Trans></h3>
        <button type="button" className="btn btn-accent btn-sm ml-auto" disabled={picked.size === 0} onClick={() => void toBench()}>
          {picked.size === 0 ? t`Pick up to six for the bench` : t`Take ${picked.size} to the bench`}
        </button>
      </div>
      <div className="overflow-x-auto">
        <table className="mt-1 w-full text-sm">
          <thead className="text-left text-quiet">
            <tr>
              <th scope="col" className="font-normal">
                <span className="sr-only"><Trans>Pick</Trans></span>
              </th>
              <th scope="col" className="font-normal"><Trans>Recipe</Trans></th>
              <th scope="col" className="text-right font-normal"><Trans>Time</Trans></th>
              <th scope="col" className="text-right font-normal"><Trans>Filament</Trans></th>
              <th scope="col" className="text-right font-normal"><Trans>Plates a day</Trans></th>
              <th scope="col" className="pl-3 text-right font-normal"><Trans>Shell</Trans></th>
              <th scope="col" className="text-right font-normal"><Trans>Bend</Trans></th>
              <th scope="col" className="text-right font-normal"><Trans>Steps</Trans></th>
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
                      aria-label={t`Pick ${say(number)}`}
                      checked={picked.has(number)}
                      onChange={() => pick(number)}
                    />
                  </td>
                  <th scope="row" className="text-left font-normal">
                    {name.length > 0 && <strong>{name.join(", ")}: </strong>}
                    {say(number)}
                    {dot.just_fits && <span className="text-quiet"> <Trans>· just fits its slot</Trans></span>}
                  </th>
                  <td className="whitespace-nowrap pl-3 text-right">
                    {formatDuration(m.piece_time_s)} <span className="text-quiet">{formatDurationDifference(m.piece_time_s - found.base.piece_time_s)}</span>
                    {here(number) !== "" && <span className="block text-xs text-quiet"><Trans>here {here(number)}</Trans></span>}
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
});
