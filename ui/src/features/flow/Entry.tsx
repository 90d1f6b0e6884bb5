import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { api, take, type FlowPoint, type FlowPointOut, type FlowTest } from "../../api/client";
import { fixed, parseNumber, plain } from "../../lib/format";
import type { Pending } from "./pending";
import { StrandMark } from "./StrandMark";
import { STRANDS, strandOf, type Strand } from "./strands";
import type { Strands } from "./useFlowTest";

interface Planned {
  temp_c: number;
  flow_mm3_s: number;
  length_mm: number;
  speed_mm_s: number;
}

/** The next strands that are planned and not entered yet, then what the fit asks for, then what was entered. */
export function Entry({ test, strands }: { test: FlowTest; strands: Strands }) {
  const next = nextStrand(test, strands.waiting);
  return (
    <section aria-labelledby="entry">
      <h2 id="entry" className="font-serif text-2xl">
        <Trans>What came out</Trans>
      </h2>
      {next ? <OneStrand test={test} planned={next} strands={strands} /> : <p className="mt-1 text-sm"><Trans>All that was planned is entered.</Trans></p>}
      <OwnFlow test={test} strands={strands} />
      {strands.waiting.map((one) => (
        <p key={one.key} role="status" className="mt-1 border border-dashed border-warning px-2 py-1 text-sm">
          {fixed(one.point.flow_mm3_s, 1)} mm³/s{one.point.mass_g != null && `, ${plain(one.point.mass_g)} g`}:{" "}
          {one.refused ? (
            <>
              <span className="text-error">{one.refused}</span>{" "}
              <button type="button" className="btn btn-ghost btn-xs" onClick={() => strands.giveUp(one.key)}>
                <Trans>Let it go</Trans>
              </button>
            </>
          ) : (
            t`kept here, not stored yet.`
          )}
        </p>
      ))}
      {test.points.length > 0 && (
        <div className="relative mt-3 overflow-x-auto" tabIndex={0} role="region" aria-label={t`Strands that were entered`}>
          <table className="w-full min-w-[34rem] text-sm tabular-nums">
            <thead className="text-left text-quiet">
              <tr>
                <th className="py-1 font-normal">mm³/s</th>
                <th className="font-normal"><Trans>°C held</Trans></th>
                <th className="font-normal">g</th>
                <th className="font-normal"><Trans>of input</Trans></th>
                <th className="font-normal"><Trans>looks</Trans></th>
                <th />
              </tr>
            </thead>
            <tbody>
              {test.points.map((row, at) => (
                <StrandRow key={row.id} row={row} expected_g={test.expected_g[at] ?? null} out={test.fit?.left_out.includes(at) ?? false} strands={strands} />
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

/** What is to be run next: the first planned strand that was not entered, stored or not yet, else what the fit asks for. */
export function nextStrand(test: FlowTest, waiting: readonly Pending[] = []): Planned | null {
  const steps = test.plan?.steps ?? [];
  const entered = (step: { temp_c: number; flow_mm3_s: number }) =>
    [...test.points, ...waiting].some(({ point }) => Math.abs(point.temp_c - step.temp_c) <= 3 && Math.abs(point.flow_mm3_s - step.flow_mm3_s) < 0.05);
  // Beyond a strand that skipped throughout nothing is learnt.
  const skips = (temp_c: number) =>
    Math.min(...test.points.filter(({ point }) => point.strand === "skips_throughout" && Math.abs(point.temp_c - temp_c) <= 3).map(({ point }) => point.flow_mm3_s), Infinity);
  const open = steps.find((step) => !entered(step) && step.flow_mm3_s < skips(step.temp_c));
  if (open) return open;
  const like = steps[0];
  const fit = test.fit;
  if (!like || fit?.next_flow_mm3_s == null || fit.enough) return null;
  return { ...like, temp_c: fit.next_temp_c ?? like.temp_c, flow_mm3_s: fit.next_flow_mm3_s, speed_mm_s: (like.speed_mm_s / like.flow_mm3_s) * fit.next_flow_mm3_s };
}

interface Draft {
  /** The flow that somebody began to type for. */
  planned: Planned | null;
  mass: string;
  temp: string | null;
  length: string | null;
  strand: Strand | null;
}

const NO_DRAFT: Draft = { planned: null, mass: "", temp: null, length: null, strand: null };

function readDraft(place: string): Draft {
  try {
    return { ...NO_DRAFT, ...(JSON.parse(sessionStorage.getItem(place) ?? "{}") as Partial<Draft>) };
  } catch {
    return NO_DRAFT;
  }
}

interface OneStrandProps {
  test: FlowTest;
  planned: Planned;
  strands: Strands;
  title?: string;
}

/** The form of one strand. While somebody types, it stays with its flow: a late answer must not put another under the hand. */
function OneStrand({ test, planned: proposed, strands, title }: OneStrandProps) {
  const place = `meanbead.flow.draft ${test.id} ${title === undefined ? "next" : proposed.flow_mm3_s}`;
  const [draft, setDraft] = useState<Draft>(() => readDraft(place));
  const planned = draft.planned ?? proposed;
  const { mass, strand } = draft;
  const temp = draft.temp ?? plain(planned.temp_c);
  const length = draft.length ?? plain(planned.length_mm);
  // Kept with the tab, so that a reload in the middle loses nothing.
  const keepDraft = (next: Draft) => {
    setDraft(next);
    sessionStorage.setItem(place, JSON.stringify(next));
  };
  const type = (change: Partial<Draft>) => keepDraft({ ...draft, planned, ...change });
  const [problem, setProblem] = useState("");
  const [reading, setReading] = useState(false);
  const read = async () => {
    setReading(true);
    setProblem("");
    try {
      const weight = take(await api.POST("/api/flow-tests/{row_id}/scale", { params: { path: { row_id: test.id } } }));
      type({ mass: plain(weight.grams) });
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    } finally {
      setReading(false);
    }
  };
  const store = () => {
    const grams = mass.trim() === "" ? null : parseNumber(mass);
    const held = parseNumber(temp);
    const fed = parseNumber(length);
    const wrong =
      grams !== null && Number.isNaN(grams)
        ? t`Type the weight in grams, such as 1.02.`
        : Number.isNaN(held)
          ? t`Type the temperature that it held, in °C.`
          : Number.isNaN(fed) || fed <= 0
            ? t`Type the length of filament that was fed, in mm.`
            : grams === null && strand === null
              ? t`Give its weight, or how it looks, or both.`
              : "";
    if (wrong) {
      setProblem(wrong);
      return;
    }
    strands.enter({ flow_mm3_s: planned.flow_mm3_s, temp_c: held, length_mm: fed, mass_g: grams, strand, fan: test.setup.fan ?? 0, used: true });
    keepDraft(NO_DRAFT);
    setProblem("");
  };
  const box = "input input-sm border-rule bg-base-100 text-right";
  return (
    <form
      className="mt-2 border border-rule bg-base-200 p-3"
      onSubmit={(event) => {
        event.preventDefault();
        store();
      }}
    >
      <p className="flex flex-wrap items-baseline gap-x-3">
        <strong className="font-serif text-3xl font-medium">{fixed(planned.flow_mm3_s, 1)} mm³/s</strong>
        <span className="text-quiet">
          <Trans>{title ?? t`next`}: {fixed(planned.length_mm, 0)} mm of filament at {fixed(planned.speed_mm_s, 2)} mm/s, {fixed(planned.temp_c, 0)} °C</Trans>
        </span>
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-2 text-sm">
        <label>
          <Trans>Weight</Trans> <input className={`${box} w-24`} inputMode="decimal" autoComplete="off" value={mass} onChange={(event) => type({ mass: event.target.value })} /> g
        </label>
        {test.setup.scale_address && (
          <button type="button" className="btn btn-outline btn-sm font-normal" disabled={reading} onClick={() => void read()}>
            {reading ? t`Reading …` : t`Read the scale`}
          </button>
        )}
        <label>
          <Trans>It held</Trans> <input className={`${box} w-20`} inputMode="decimal" autoComplete="off" value={temp} onChange={(event) => type({ temp: event.target.value })} /> °C
        </label>
        <label>
          <Trans>Fed</Trans> <input className={`${box} w-20`} inputMode="decimal" autoComplete="off" value={length} onChange={(event) => type({ length: event.target.value })} /> mm
        </label>
      </div>
      <fieldset className="mt-2">
        <legend className="text-sm"><Trans>How the strand looks</Trans></legend>
        <div className="mt-1 grid grid-cols-3 gap-1 sm:grid-cols-6">
          {STRANDS.map((sign) => (
            <label key={sign.key} title={sign.says} className={`flex min-h-16 cursor-pointer flex-col items-center border px-1 py-1 text-center text-xs has-focus-visible:outline-2 ${strand === sign.key ? "border-molten bg-molten-wash" : "border-rule bg-base-100"}`}>
              <input type="radio" name={`look ${planned.flow_mm3_s}`} className="sr-only" checked={strand === sign.key} onChange={() => type({ strand: sign.key })} />
              <StrandMark strand={sign.key} />
              <span>
                <b>{sign.code}</b> {sign.label}
              </span>
            </label>
          ))}
        </div>
      </fieldset>
      {problem && (
        <p role="alert" className="mt-1 text-sm text-error">
          {problem}
        </p>
      )}
      <button type="submit" className="btn btn-primary btn-sm mt-2 w-full font-normal sm:w-auto">
        <Trans>Store this strand</Trans>
      </button>
    </form>
  );
}

function OwnFlow({ test, strands }: { test: FlowTest; strands: Strands }) {
  const [typed, setTyped] = useState("");
  const [flow, setFlow] = useState<number | null>(null);
  const like = test.plan?.steps[0];
  const asked = parseNumber(typed);
  return (
    <div className="mt-2 text-sm">
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (asked > 0) setFlow(asked);
        }}
      >
        <label>
          <Trans>Another flow, or one again</Trans> <input className="input input-xs w-16 border-rule bg-base-100 text-right" inputMode="decimal" value={typed} onChange={(event) => setTyped(event.target.value)} /> mm³/s
        </label>
        <button type="submit" className="btn btn-outline btn-xs font-normal" disabled={!(asked > 0)}>
          <Trans>Enter it</Trans>
        </button>
        {flow !== null && (
          <button type="button" className="btn btn-ghost btn-xs" onClick={() => setFlow(null)}>
            <Trans>Close</Trans>
          </button>
        )}
      </form>
      {flow !== null && (
        <OneStrand
          key={flow}
          test={test}
          strands={strands}
          title={t`of your own`}
          planned={{ temp_c: like?.temp_c ?? test.setup.temps_c[0] ?? 210, flow_mm3_s: flow, length_mm: like?.length_mm ?? 340, speed_mm_s: like ? (like.speed_mm_s / like.flow_mm3_s) * flow : flow / 2.405 }}
        />
      )}
    </div>
  );
}

function StrandRow({ row, expected_g, out, strands }: { row: FlowPointOut; expected_g: number | null; out: boolean; strands: Strands }) {
  const [problem, setProblem] = useState("");
  const point = row.point;
  const save = (change: Partial<FlowPoint>) => void strands.edit(row, change).then(setProblem);
  const share = point.mass_g != null && expected_g ? point.mass_g / expected_g : null;
  const unused = out || point.used === false;
  return (
    <>
      <tr className={`border-t border-base-300 ${unused ? "text-quiet line-through decoration-1" : ""}`}>
        <td className="py-1">{fixed(point.flow_mm3_s, 1)}</td>
        <td>
          <Cell label={t`°C held at ${plain(point.flow_mm3_s)}`} value={point.temp_c} onSave={(temp_c) => temp_c !== null && save({ temp_c })} />
        </td>
        <td>
          <Cell label={t`Weight at ${plain(point.flow_mm3_s)}`} value={point.mass_g ?? null} onSave={(mass_g) => save({ mass_g })} />
        </td>
        <td>{share === null ? "" : `${fixed(100 * share, 1)} %`}</td>
        <td>
          <select
            aria-label={t`Looks at ${plain(point.flow_mm3_s)}`}
            className="select select-xs w-36 border-rule bg-base-100"
            value={point.strand ?? ""}
            onChange={(event) => save({ strand: (event.target.value || null) as Strand | null })}
          >
            <option value="">{t`not noted`}</option>
            {STRANDS.map((sign) => (
              <option key={sign.key} value={sign.key}>
                {sign.code} {sign.label}
              </option>
            ))}
          </select>
        </td>
        <td className="whitespace-nowrap text-right">
          {row.has_photo && (
            <a className="mr-1 underline" href={`/api/flow-points/${row.id}/photo`} target="_blank" rel="noreferrer">
              <Trans>photo</Trans>
            </a>
          )}
          <label className="btn btn-ghost btn-xs cursor-pointer font-normal">
            {row.has_photo ? t`Another photo` : t`Photo`}
            <input type="file" accept="image/jpeg,image/png" className="sr-only" aria-label={t`Photo at ${plain(point.flow_mm3_s)}`} onChange={(event) => event.target.files?.[0] && void strands.photo(row, event.target.files[0])} />
          </label>
          <button type="button" className="btn btn-ghost btn-xs font-normal" onClick={() => save({ used: point.used === false })}>
            {point.used === false ? t`Count it` : t`Leave out`}
          </button>
          <button type="button" className="btn btn-ghost btn-xs font-normal" aria-label={t`Take out the strand at ${plain(point.flow_mm3_s)}, ${strandOf(point.strand)?.label ?? t`no look`}`} onClick={() => void strands.remove(row)}>
            <Trans>Take out</Trans>
          </button>
        </td>
      </tr>
      {problem && (
        <tr>
          <td colSpan={6} role="alert" className="text-error">
            {problem}
          </td>
        </tr>
      )}
    </>
  );
}

function Cell({ label, value, onSave }: { label: string; value: number | null; onSave: (value: number | null) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const commit = () => {
    if (typed === null) return;
    const number = typed.trim() === "" ? null : parseNumber(typed);
    setTyped(null);
    if ((number === null || !Number.isNaN(number)) && number !== value) onSave(number);
  };
  return (
    <input
      aria-label={label}
      className="input input-xs w-16 border-rule bg-base-100 text-right"
      inputMode="decimal"
      autoComplete="off"
      value={typed ?? (value === null ? "" : plain(value))}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
