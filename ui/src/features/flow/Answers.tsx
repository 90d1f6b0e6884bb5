import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type FlowAtTemp, type FlowTest } from "../../api/client";
import { fixed, percentDifference, plain } from "../../lib/format";
import { useFlowTestDeeds } from "./useFlowTest";

/** What the strands say at one temperature. */
export function Limits({ entry }: { entry: FlowAtTemp }) {
  const knee = entry.knee_mm3_s;
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5 text-sm">
      <dt className="text-quiet"><Trans>Plan up to</Trans></dt>
      <dd>
        {entry.plan_mm3_s == null ? (
          t`not known yet`
        ) : (
          <>
            <strong className="font-serif text-2xl font-medium text-molten">{fixed(entry.plan_mm3_s, 1)} mm³/s</strong>{" "}
            <span className="text-quiet">{BOUND[entry.bound ?? ""] ?? ""}</span>
          </>
        )}
      </dd>
      <dt className="text-quiet"><Trans>Knee</Trans></dt>
      <dd>
        {knee ? (
          <>
            <Trans>{fixed(knee.value, 1)} mm³/s, 90 % within {fixed(knee.low, 1)} to {fixed(knee.high, 1)}</Trans>
            {entry.weighed < 5 && <span className="text-quiet"> <Trans>from {entry.weighed} strands</Trans></span>}
          </>
        ) : entry.above_mm3_s != null ? (
          t`none up to ${fixed(entry.above_mm3_s, 1)} mm³/s`
        ) : (
          t`weigh at least three strands`
        )}
      </dd>
      <dt className="text-quiet"><Trans>Straight up to</Trans></dt>
      <dd>{entry.curl_mm3_s != null ? t`${fixed(entry.curl_mm3_s, 1)}, curls at ${fixed(entry.curl_seen_mm3_s ?? 0, 1)} mm³/s` : entry.curl_seen_mm3_s != null ? t`nothing: curls at ${fixed(entry.curl_seen_mm3_s, 1)} mm³/s` : t`no curl seen`}</dd>
      <dt className="text-quiet"><Trans>Drive holds to</Trans></dt>
      <dd>{entry.skip_seen_mm3_s != null ? t`${fixed(entry.skip_mm3_s ?? 0, 1)}, skips at ${fixed(entry.skip_seen_mm3_s, 1)} mm³/s` : t`no skipping seen`}</dd>
    </dl>
  );
}

const BOUND: Record<string, string> = {
  knee: t`the knee’s lower end, less the margin`,
  curl: t`the last straight strand, less the margin`,
  untested: t`as far as nothing fell off, less the margin`,
};

/** What to do with it: go on, or use it; what that changes; retire it. */
export function NextMove({ test }: { test: FlowTest }) {
  const deeds = useFlowTestDeeds(test);
  const fit = test.fit;
  const usable = fit?.by_temp.some((entry) => entry.plan_mm3_s != null) ?? false;
  const used = test.state === "used";
  return (
    <section aria-label={t`What next`} className="border-y border-rule py-2 text-sm">
      {fit && (
        <p role="status">
          {fit.enough ? (
            <>
              <Trans><strong>Enough is known.</strong> More strands would raise the limit by 7 % at most.</Trans>
            </>
          ) : fit.next_flow_mm3_s != null ? (
            <>
              <Trans>
                <strong>
                  Next: {fixed(fit.next_flow_mm3_s, 1)} mm³/s at {fixed(fit.next_temp_c ?? 0, 0)} °C
                </strong>{" "}
                narrows it most.
              </Trans>
            </>
          ) : (
            t`Enter a strand, and this says which to try next.`
          )}
        </p>
      )}
      {test.ask_again && <p className="mt-1 text-warning">{test.ask_again}</p>}
      {test.state === "retired" && (
        <p className="mt-1">
          <Trans>Retired on {new Date(test.retired_on ?? "").toLocaleDateString()}: {test.retired_because}</Trans>
        </p>
      )}
      {used && (
        <p className="mt-1">
          <Trans>In use, measured on {new Date(test.measured?.on ?? "").toLocaleDateString()}: every estimate of {test.machine_name} with this nozzle and plastic goes by it.</Trans>
          {test.changed_since_use && <span className="text-warning"> <Trans>Strands came in since: use it again.</Trans></span>}
        </p>
      )}
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {usable && (!used || test.changed_since_use) && (
          <button type="button" className="btn btn-primary btn-sm font-normal" disabled={deeds.busy} onClick={deeds.use}>
            {used ? t`Use it as it is now` : t`Use it in estimates`}
          </button>
        )}
        {used && <RetireForm onRetire={deeds.retire} />}
      </div>
      {usable && test.state !== "retired" && <Effect test={test} />}
    </section>
  );
}

function RetireForm({ onRetire }: { onRetire: (because: string) => void }) {
  const [because, setBecause] = useState("");
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (because.trim()) onRetire(because.trim());
      }}
    >
      <label>
        <Trans>Retire it because</Trans>{" "}
        <input className="input input-xs w-44 border-rule bg-base-100" list="retire-reasons" value={because} placeholder={t`of what?`} onChange={(event) => setBecause(event.target.value)} />
      </label>
      <datalist id="retire-reasons">
        <option value={t`another nozzle`} />
        <option value={t`another hot end`} />
        <option value={t`the nozzle is worn`} />
        <option value={t`another make of this plastic`} />
      </datalist>
      <button type="submit" className="btn btn-outline btn-xs font-normal" disabled={because.trim() === ""}>
        <Trans>Retire</Trans>
      </button>
    </form>
  );
}

/** Columns whose melt limit it changes. */
function Effect({ test }: { test: FlowTest }) {
  const effect = useQuery({
    queryKey: ["flow-effect", test.id, test.version, test.points.map((one) => one.version).join()],
    queryFn: async () => take(await api.GET("/api/flow-tests/{row_id}/effect", { params: { path: { row_id: test.id } } })).columns,
  });
  const [all, setAll] = useState(false);
  const columns = effect.data;
  if (columns === undefined) return null;
  if (columns.length === 0) return <p className="mt-2 text-quiet"><Trans>No column is on {test.machine_name} with this plastic, so no estimate changes.</Trans></p>;
  const shown = all ? columns : columns.slice(0, 5);
  return (
    <div className="mt-2">
      <p className="text-quiet">
        {test.state === "used" ? t`Melt limits that it changed` : t`Melt limits that it would change`}, mm³/s:
      </p>
      <ul>
        {shown.map((one) => (
          <li key={one.recipe_id} className="flex flex-wrap items-baseline gap-x-2" title={one.basis}>
            <Link className="inline-block py-0.5 underline" to={`/parts/${one.part_id}`}>
              {one.part_name}
            </Link>
            <span>{one.recipe_name}</span>
            <span className="ml-auto tabular-nums">
              {fixed(one.before_mm3_s, 1)} → <strong>{fixed(one.after_mm3_s, 1)}</strong> {percentDifference(one.after_mm3_s, one.before_mm3_s)}
              <span className="text-quiet"> {one.after_source === "measured" ? t`measured` : t`informed`}</span>
            </span>
          </li>
        ))}
      </ul>
      {columns.length > shown.length && (
        <button type="button" className="btn btn-ghost btn-xs" onClick={() => setAll(true)}>
          <Trans>{columns.length - shown.length} more</Trans>
        </button>
      )}
    </div>
  );
}

/** The drive's calibration, told apart from melting. */
export function Drive({ test }: { test: FlowTest }) {
  const ratio = test.fit?.drive_ratio;
  if (!ratio) return null;
  const off = ratio.low > 1 || ratio.high < 1;
  return (
    <section aria-labelledby="drive" className="text-sm">
      <h3 id="drive" className="font-serif text-lg">
        <Trans>The drive</Trans>
      </h3>
      <p>
        <Trans>
          At low flows {fixed(100 * ratio.value, 1)} % of what is asked for comes out (90 % within {fixed(100 * ratio.low, 1)} to {fixed(100 * ratio.high, 1)} %).{" "}
          {off ? t`That is its calibration, not melting.` : t`That is as good as right.`}
        </Trans>
      </p>
      {off && (
        <p>
          {test.drive.now != null && test.drive.new != null ? (
            <>
              <Trans>Steps per mm: now {plain(test.drive.now)}, new <strong>{plain(test.drive.new)}</strong>. Set it at the machine, and ask its firmware again on the shelf.</Trans>
            </>
          ) : (
            <>
              <Trans>
                Multiply its steps per mm by <strong>{fixed(1 / ratio.value, 4)}</strong>. What they are now is not known: ask the firmware of {test.machine_name} on the{" "}
                <Link className="underline" to={`/shelf?kind=machines&row=${test.machine_id}`}>
                  shelf
                </Link>
                .
              </Trans>
            </>
          )}
        </p>
      )}
    </section>
  );
}
