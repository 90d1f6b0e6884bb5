import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMemo } from "react";
import { api, take, type Part, type RecipeColumn, type SearchStart } from "../../api/client";
import { useJob } from "../../api/jobs";
import { useMeasures, useShelf } from "../../api/queries";
import { JobBar } from "../../components/JobBar";
import { grouped } from "../../lib/format";
import { LimitsPanel, problemWith, typedValues, VaryPanel, type Vary } from "./Asked";
import { Cloud, type Mark } from "./Cloud";
import { useAsking } from "./asking";
import { AXES, type Against, type Axis } from "./frontier";

import { Answer } from "./Answer";

const NONE: ReadonlySet<number> = new Set();

interface AroundProps {
  part: Part;
  column: RecipeColumn;
  columns: RecipeColumn[];
  start: SearchStart;
  onColumn: (id: number) => void;
}

export function Around({ part, column, columns, start, onColumn }: AroundProps) {
  const shelf = useShelf().data;
  const { off, typed, limits, against, changed, change, asUsual } = useAsking(column, start);
  const measured = useMeasures(columns, part);
  const own = measured[columns.findIndex((one) => one.id === column.id)];
  const axis: Axis = AXES.find((one) => one.key === against) ?? (AXES[0] as Axis);

  const vary = useMemo<Vary>(() => {
    const asked: Vary = {};
    for (const [key, values] of Object.entries(start.vary)) {
      if (off.includes(key)) continue;
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
    `search.${column.id}`,
  );
  const found = work.job?.search ?? undefined;
  const base = found?.base;
  // The search says how far it is three times a second; its answer is drawn only where that is new.
  const marks: Mark[] = useMemo(
    () =>
      columns.flatMap((one, at) => {
        // The search has computed its own column in full.
        const measures = one.id === column.id ? (base ?? measured[at]) : measured[at];
        return measures === undefined ? [] : [{ name: one.name, measures }];
      }),
    [columns, column.id, base, measured],
  );
  const mend = Object.keys(start.vary).some((key) => !off.includes(key) && problemWith(key, typed[key], shelf) !== undefined);
  const space = Object.values(vary).reduce((product, values) => product * values.length, 1);
  return (
    <div className="mt-3 grid grid-cols-1 gap-6 lg:grid-cols-[minmax(0,1fr)_320px]">
      <div className="min-w-0">
        {found ? (
          <Answer found={found} part={part} column={column} marks={marks} complete={work.job?.state === "done"} />
        ) : (
          <div className="border-y border-rule py-3">
            <h2 className="font-serif text-2xl"><Trans>Everything the limits allow</Trans></h2>
            <p className="mt-1 max-w-xl">
              <Trans>
                Say what may vary and which limits hold; hundreds of recipes around {column.name} are then computed on this
                part, and the ones that no other beats in both minutes and grams are drawn as a line. So far these are your columns:
              </Trans>
            </p>
            {marks.length > 0 ? (
              <Cloud dots={[]} shown={[]} frontier={[]} knee={undefined} picked={NONE} columns={marks} axis={axis} describe={() => ""} onPick={() => undefined} />
            ) : (
              <p className="py-10 text-quiet"><Trans>Computing your columns …</Trans></p>
            )}
          </div>
        )}
        <div className="mt-2">
          <JobBar work={work} what={t`Searching`} />
        </div>
      </div>
      <aside className="space-y-4 lg:order-none" aria-label={t`What to search`}>
        <div className="flex flex-wrap items-center gap-2 text-sm">
          <label>
            <Trans>Around</Trans>{" "}
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
            <Trans>Time against</Trans>{" "}
            <select
              className="select select-xs w-36 border-rule bg-base-100"
              value={against}
              onChange={(event) => change({ against: event.target.value as Against })}
            >
              {AXES.map((one) => (
                <option key={one.key} value={one.key}>
                  {one.label}
                </option>
              ))}
            </select>
          </label>
        </div>
        <button type="button" className="btn btn-accent btn-sm w-full" disabled={work.busy || mend || space < 2} onClick={work.start}>
          {found ? t`Search again` : t`Search`} {space > 500 ? t`500 of ${grouped(space)} recipes` : t`all ${space} recipes`}
        </button>
        {changed && (
          <button type="button" className="btn btn-ghost btn-xs" disabled={work.busy} onClick={asUsual}>
            <Trans>Usual values again</Trans>
          </button>
        )}
        <VaryPanel
          all={start.vary}
          off={off}
          typed={typed}
          shelf={shelf}
          onToggle={(key) => change({ off: off.includes(key) ? off.filter((one) => one !== key) : [...off, key] })}
          onType={(key, text) => change({ typed: { ...typed, [key]: text } })}
        />
        <LimitsPanel limits={limits} base={own} baseName={column.name} onChange={(next) => change({ limits: next })} />
      </aside>
    </div>
  );
}
