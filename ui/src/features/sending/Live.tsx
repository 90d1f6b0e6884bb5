import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Area, CartesianGrid, ComposedChart, Line, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from "recharts";
import { ACTIVE, usePrintDeeds, useStop } from "../../api/prints";
import type { Print } from "../../api/client";
import { useToast } from "../../components/Toasts";
import { fixed, formatDuration } from "../../lib/format";
import { clock } from "../day/board";
import { behindShare, livePoints, stateWords } from "./words";

/** A print under way: how far it is beside how far it was to be, when it ends, what fits where it falls behind; and how to stop it. */
export function Live({ print, small = false }: { print: Print; small?: boolean }) {
  const progress = print.progress;
  const going = ACTIVE.has(print.state);
  return (
    <section aria-label={t`${print.name} on ${print.machine}`} className={small ? "" : "rounded-box border-2 border-base-content/60 p-4"}>
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h3 className="font-serif text-2xl leading-tight">
          {print.machine}: {stateWords(print)}
        </h3>
        {going && print.ends_at && (
          <span className="text-lg" aria-live="polite">
            <Trans>ends about <strong>{clock(print.ends_at)}</strong></Trans>
            {print.low_end && print.high_end && (
              <span className="text-quiet">
                {" "}
                <Trans>({clock(print.low_end)} to {clock(print.high_end)})</Trans>
              </span>
            )}
          </span>
        )}
      </div>
      {small && going && print.way === "console" && <Reins print={print} />}
      {print.problem && (
        <p className={`mt-1 ${print.lost_at ? "text-warning" : "text-error"}`} role="alert">
          {print.lost_at && t`No word from the machine since ${clock(print.lost_at)}. `}
          {print.problem}
        </p>
      )}
      <dl className="mt-2 grid grid-cols-2 gap-x-6 gap-y-1 sm:flex sm:flex-wrap sm:gap-x-8">
        {progress && (
          <>
            <Told name={t`Layer`} value={t`${progress.layer} of ${progress.layers}`} beside={`${fixed(progress.height_mm, 1)} mm`} />
            <Told name={t`Printed`} value={formatDuration(progress.real_s)} beside={t`planned until here ${formatDuration(progress.planned_s)}`} />
            {going && <Told name={t`Left`} value={formatDuration(progress.left_s)} beside={t`${formatDuration(progress.low_s)} to ${formatDuration(progress.high_s)}${progress.by === "plan" ? t`, by the plan` : t`, by plan and print`}`} />}
            <Pace print={print} />
          </>
        )}
        {print.nozzle_c != null && <Told name={t`Nozzle`} value={`${fixed(print.nozzle_c, 0)} °C`} beside={print.nozzle_target_c ? t`set to ${fixed(print.nozzle_target_c, 0)}` : t`off`} />}
        {print.bed_c != null && <Told name={t`Bed`} value={`${fixed(print.bed_c, 0)} °C`} beside={print.bed_target_c ? t`set to ${fixed(print.bed_target_c, 0)}` : t`off`} />}
      </dl>
      {print.behind && <p className="mt-2 max-w-prose">{print.behind.says}</p>}
      {!small && progress && <Picture print={print} />}
      {!small && going && print.way === "console" && <Reins print={print} />}
    </section>
  );
}

function Told({ name, value, beside }: { name: string; value: string; beside?: string }) {
  return (
    <div>
      <dt className="text-sm text-quiet">{name}</dt>
      <dd>
        <span className="text-lg">{value}</span> {beside && <span className="text-sm text-quiet">{beside}</span>}
      </dd>
    </div>
  );
}

function Pace({ print }: { print: Print }) {
  const off = behindShare(print);
  if (off === null) return null;
  const percent = Math.round(Math.abs(100 * off));
  return <Told name={t`Against the plan`} value={percent === 0 ? t`as planned` : off > 0 ? t`${percent} % slower` : t`${percent} % quicker`} />;
}

/** Done over time: planned, seen, and where the end may lie. */
function Picture({ print }: { print: Print }) {
  const points = livePoints(print);
  const now = (print.progress?.real_s ?? 0) / 60;
  const going = ACTIVE.has(print.state);
  const last = Math.max(...points.map((point) => point.real_min));
  const long = last > 180;
  const percent = (value: number) => `${Math.round(100 * value)} %`;
  return (
    <figure className="mt-3">
      <figcaption className="text-sm text-quiet">
        <Trans>Done, over {long ? t`hours` : t`minutes`} of printing: <span className="font-semibold text-base-content">dashed</span> as planned, <span className="font-semibold text-molten">full</span> as seen{going && t`, the fan where the rest may go (90 %)`}</Trans>
      </figcaption>
      <div className="h-56" role="img" aria-label={t`${percent(print.progress?.share ?? 0)} done after ${formatDuration(print.progress?.real_s ?? 0)}, planned ${formatDuration(print.progress?.planned_s ?? 0)}`}>
        <ResponsiveContainer>
          <ComposedChart data={points} margin={{ top: 8, right: 16, bottom: 4, left: 0 }}>
            <CartesianGrid stroke="var(--color-rule)" strokeDasharray="1 3" />
            <XAxis dataKey="real_min" type="number" domain={[0, long ? Math.ceil(last / 30) * 30 : Math.ceil(last / 5) * 5]} tickFormatter={(value: number) => (long ? fixed(value / 60, 1) : fixed(value, 0))} stroke="var(--color-quiet)" />
            <YAxis domain={[0, 1]} tickFormatter={percent} width={52} stroke="var(--color-quiet)" />
            <Area dataKey="band" stroke="none" fill="var(--color-molten)" fillOpacity={0.28} activeDot={false} isAnimationActive={false} connectNulls />
            <Line dataKey="planned" stroke="var(--color-base-content)" strokeDasharray="6 4" dot={false} activeDot={false} isAnimationActive={false} connectNulls />
            <Line dataKey="seen" stroke="var(--color-molten)" strokeWidth={2.5} dot={false} activeDot={false} isAnimationActive={false} connectNulls />
            {going && <ReferenceLine x={now} stroke="var(--color-quiet)" strokeDasharray="2 3" label={{ value: t`now`, position: "insideTopLeft", fill: "var(--color-quiet)", fontSize: 12 }} />}
          </ComposedChart>
        </ResponsiveContainer>
      </div>
    </figure>
  );
}

/** Pause, go on, and the emergency stop, which asks nothing. */
export function Reins({ print }: { print: Print }) {
  const toast = useToast();
  const failed = (error: Error) => toast(error.message, { tone: "error" });
  const deeds = usePrintDeeds(failed);
  const stop = useStop((says, bad) => toast(says, bad ? { tone: "error" } : undefined));
  return (
    <div className="mt-3 flex flex-wrap items-center gap-3">
      {print.state === "paused" ? (
        <button type="button" className="btn btn-outline btn-sm font-normal" disabled={deeds.tell.isPending} onClick={() => deeds.tell.mutate({ print_id: print.id, deed: "resume" })}>
          <Trans>Go on</Trans>
        </button>
      ) : (
        <button type="button" className="btn btn-outline btn-sm font-normal" disabled={deeds.tell.isPending || print.state !== "printing"} onClick={() => deeds.tell.mutate({ print_id: print.id, deed: "pause" })}>
          <Trans>Pause</Trans>
        </button>
      )}
      <button type="button" className="btn btn-error btn-sm" onClick={() => stop.mutate(print.machine_id)}>
        <Trans>Stop at once</Trans>
      </button>
      <span className="text-sm text-quiet"><Trans>Pause stands still where it is, nozzle hot on the plastic: do not leave it so. The stop ends motors and heaters without asking; if it does not answer: the switch at the machine.</Trans></span>
    </div>
  );
}
