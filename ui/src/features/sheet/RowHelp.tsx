import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, take, type Sensitivity, type Shelf } from "../../api/client";
import { formatDurationDifference, formatGramsDifference, plain } from "../../lib/format";
import { useToast } from "../../components/Toasts";
import { boundsText, chosen, FIELDS, isNumber, isPick, isShelf, shownValue, type Field } from "./fields";
import { RESULTS } from "./results";
import { RowCurve } from "./RowCurve";
import type { ColumnState } from "./ResultCell";
import { offStep } from "./steps";
import type { SheetActions } from "./useSheet";
import { workingOf, type Source, type Working } from "./working";

interface RowHelpProps {
  row: string;
  state: ColumnState | undefined;
  shelf: Shelf | undefined;
  actions: SheetActions;
}

/** What the row in focus means, what it is by default and when to change it, and what a step would cost on this part. */
export function RowHelp({ row, state, shelf, actions }: RowHelpProps) {
  const field = FIELDS.find((one) => one.key === row);
  const result = RESULTS.find((one) => one.key === row);
  if (result && state?.estimate) {
    return (
      <section>
        <h3 className="font-serif text-lg">
          {result.label} <span className="text-sm text-quiet"><Trans>of {state.column.name}</Trans></span>
        </h3>
        <p className="text-sm">{result.explain(state.estimate, state.column)}</p>
        <HowWorkedOut working={workingOf(result.key, state.estimate, state.column, shelf)} />
      </section>
    );
  }
  if (field === undefined) return null;
  const bounds = boundsText(field);
  return (
    <section aria-label={t`About this row`}>
      <h3 className="font-serif text-lg">
        {field.label} {state && <span className="text-sm text-quiet"><Trans>in {state.column.name}</Trans></span>}
      </h3>
      {state && !state.column.gcode && (
        <>
          <OffStep field={field} state={state} shelf={shelf} />
          {field.key.startsWith("line_width_mm") && <WidthSchools state={state} actions={actions} />}
          {isNumber(field) && <RowCurve key={`${field.key}:${state.column.id}`} field={field} column={state.column} ready={state.estimate !== undefined && !state.sampled && !state.pending} actions={actions} />}
          {!isShelf(field) && isPick(field) && (
            <Steps key={`${field.key}:${state.column.id}`} field={field} state={state} shelf={shelf} actions={actions} />
          )}
        </>
      )}
      <div className="mt-2 border-t border-rule pt-1">
        <p className="text-sm">{field.explain}</p>
        <dl className="mt-1 grid grid-cols-[auto_1fr] gap-x-2 text-sm">
          <dt className="text-quiet"><Trans>Default</Trans></dt>
          <dd>{field.default}</dd>
          {field.when && (
            <>
              <dt className="text-quiet"><Trans>Change it</Trans></dt>
              <dd>{field.when}</dd>
            </>
          )}
          {bounds && (
            <>
              <dt className="text-quiet"><Trans>Accepts</Trans></dt>
              <dd>{bounds}</dd>
            </>
          )}
        </dl>
      </div>
    </section>
  );
}

const SOURCE_MEANS: Record<Source, string> = {
  measured: t`measured here`,
  set: t`set in this workshop`,
  typical: t`typical, shipped: measure yours`,
  computed: t`computed`,
};

/** The formula with the numbers put in, what it rests on, and the way to the method. */
function HowWorkedOut({ working }: { working: Working | null }) {
  if (working === null) return null;
  return (
    <div className="mt-2 text-sm">
      {working.formulas.map((formula) => (
        <p key={formula} className="border-l-2 border-molten bg-base-200 px-2 py-1 leading-snug">
          {formula}
        </p>
      ))}
      {working.inputs.length > 0 && (
        <dl className="mt-1">
          {working.inputs.map((input) => (
            <div key={input.name} className="flex flex-wrap items-baseline gap-x-2 border-b border-base-300 py-0.5">
              <dt className="min-w-0 flex-1">{input.name}</dt>
              <dd>{input.value}</dd>
              <dd className="text-xs text-quiet" title={SOURCE_MEANS[input.source]}>
                {input.source}
              </dd>
            </div>
          ))}
        </dl>
      )}
      <Link className="mt-1 inline-block underline" to={`/guide/method#${working.method}`}>
        <Trans>How it is worked out</Trans>
      </Link>
    </div>
  );
}

function OffStep({ field, state, shelf }: { field: Field; state: ColumnState; shelf: Shelf | undefined }) {
  const machine = shelf?.machines.find((one) => one.id === state.column.machine_id);
  const height = state.column.preview?.effective.layer_height_mm;
  if (field.key !== "layer_height_mm" || height == null || machine?.printer.z_step_mm == null) return null;
  const step = machine.printer.z_step_mm;
  return (
    <p className="mt-1 text-sm">
      {offStep(height, machine)
        ? t`${plain(height)} mm is no whole number of ${machine.name}'s motor steps (${plain(step)} mm): layers alternate thick and thin. Alt and an arrow go to the next full step.`
        : t`A full step of ${machine.name}'s motor is ${plain(step)} mm; Alt and an arrow go step by step.`}
    </p>
  );
}

const SCHOOLS: readonly { name: string; why: string; widths: Record<string, number> }[] = [
  { name: "1.1 d", why: t`pressed on, without heaping up`, widths: { outer_wall: 1.1 } },
  { name: t`exactly d`, why: t`true to small detail`, widths: { outer_wall: 1 } },
  { name: "1.25 d", why: t`strong and quick, still clean`, widths: { outer_wall: 1.25 } },
  { name: t`wide inside`, why: t`1.5 d inside saves on large parts, the outer wall stays fine`, widths: { outer_wall: 1.1, inner_wall: 1.5, infill: 1.5 } },
  { name: t`wide everywhere`, why: t`1.5 d: fewest strokes; the nozzle's flat has to be wide enough`, widths: { outer_wall: 1.5 } },
  { name: t`narrow`, why: t`0.85 d for detail, with low layers and slow walls; weak`, widths: { outer_wall: 0.85 } },
];

/** The ways in which practitioners choose a line width. */
function WidthSchools({ state, actions }: { state: ColumnState; actions: SheetActions }) {
  const toast = useToast();
  const bore = state.column.preview?.bore_mm;
  if (bore === undefined) return null;
  const apply = (school: (typeof SCHOOLS)[number]) => {
    const edits = ["outer_wall", "inner_wall", "infill"].map((feature) => ({
      recipe: state.column.id,
      key: `line_width_mm.${feature}`,
      value: feature in school.widths ? Number(((school.widths[feature] ?? 1) * bore).toFixed(3)) : null,
    }));
    actions
      .editMany(edits, t`line width “${school.name}” in ${state.column.name}`)
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  };
  return (
    <div className="mt-2">
      <h4 className="text-sm text-quiet"><Trans>Schools</Trans></h4>
      <ul className="text-sm">
        {SCHOOLS.map((school) => (
          <li key={school.name} className="flex items-baseline gap-2">
            <button type="button" className="btn btn-outline btn-xs my-0.5 w-28 justify-start font-normal" onClick={() => apply(school)}>
              {school.name}
            </button>
            <span className="text-quiet">{school.why}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Neighbouring values with what they would change on this part, each computed. */
function Steps({ field, state, shelf, actions }: { field: Field; state: ColumnState; shelf: Shelf | undefined; actions: SheetActions }) {
  const { column } = state;
  const toast = useToast();
  // Arrows pass over many rows: only where someone rests is computed.
  const [rested, setRested] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setRested(true), 400);
    return () => clearTimeout(timer);
  }, []);
  const answer = useQuery({
    queryKey: ["nudges", column.id, column.version, field.key],
    queryFn: async ({ signal }) =>
      take(
        await api.POST("/api/recipes/{recipe_id}/nudges", {
          params: { path: { recipe_id: column.id } },
          body: { key: field.key },
          signal,
        }),
      ).nudges,
    enabled: rested && state.estimate !== undefined && !state.sampled,
    staleTime: Infinity,
    retry: false,
  });
  if (answer.isError) return null;
  if (answer.data === undefined) return <p className="mt-2 text-sm text-quiet"><Trans>What a step would cost here: computing …</Trans></p>;
  if (answer.data.length === 0) return null;
  const whole = state.estimate?.print_time_s ?? 1;
  const apply = (nudge: Sensitivity) =>
    actions
      .edit({ recipe: column.id, key: field.key, value: nudge.value }, t`${field.label.toLowerCase()} in ${column.name}`)
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  return (
    <div className="mt-2">
      <h4 className="text-sm text-quiet">
        <Trans>On this part, instead of {shownValue(chosen(column, field), field, shelf) || t`the default`}</Trans>
      </h4>
      <table className="w-full text-sm">
        <tbody>
          {answer.data.map((nudge) => (
            <tr key={String(nudge.value)} className="border-t border-base-300">
              <th scope="row" className="py-0.5 text-left font-normal">
                {shownValue(nudge.value, field, shelf)} {field.unit}
              </th>
              {nudge.problem ? (
                <td colSpan={2} className="text-quiet">
                  {nudge.problem}
                </td>
              ) : (
                <>
                  <td className="whitespace-nowrap text-right">
                    {Math.abs(nudge.time_s ?? 0) < 0.002 * whole ? t`hardly any time` : formatDurationDifference(nudge.time_s ?? 0)}
                  </td>
                  <td className="whitespace-nowrap pl-2 text-right">
                    {Math.abs(nudge.filament_g ?? 0) < 0.05 ? "±0 g" : formatGramsDifference(nudge.filament_g ?? 0)}
                  </td>
                </>
              )}
              <td className="pl-2 text-right">
                {!nudge.problem && (
                  <button type="button" className="btn btn-ghost btn-xs" onClick={() => void apply(nudge)}>
                    <Trans>Take<span className="sr-only"> {shownValue(nudge.value, field, shelf)}</span></Trans>
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
