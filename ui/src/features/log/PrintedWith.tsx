import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Run } from "../../api/client";
import { CHOICES } from "../../api/choices";
import { formatDuration, percent } from "../../lib/format";

interface PrintedWithProps {
  run: Run;
  frozen: Run["snapshot"];
}

const LABELS = new Map(CHOICES.map((choice) => [choice.key, choice]));

/** What the run was started with. Nothing that is edited later changes it. */
export function PrintedWith({ run, frozen }: PrintedWithProps) {
  const settings = flat(frozen.settings ?? {});
  const chosen = flat(frozen.choices ?? {});
  const start = settings["adhesion.kind"];
  // What the start is not made of plays no part.
  const idle = [...(start === "brim" || start === "raft" ? [] : ["adhesion.width_mm"]), ...(start === "skirt" ? [] : ["adhesion.loops"])];
  const rows = [...LABELS.values()].filter((choice) => choice.key in settings && !idle.includes(choice.key) && !(Array.isArray(settings[choice.key]) && (settings[choice.key] as unknown[]).length === 0) && (choice.everyday || choice.key in chosen));
  const causes = run.prediction ? Object.entries(run.prediction.by_cause).sort((a, b) => b[1] - a[1]) : [];
  return (
    <section aria-labelledby="with">
      <h2 id="with" className="font-serif text-2xl">
        <Trans>Printed with</Trans>
      </h2>
      <p className="text-sm text-quiet"><Trans>As it stood when it was started; nothing that is edited later changes it.</Trans></p>
      {rows.length > 0 && (
        <dl className="mt-2 grid grid-cols-[1fr_auto] text-sm">
          {rows.map((choice) => (
            <div key={choice.key} className="contents">
              <dt className="border-t border-base-300 py-0.5">{choice.label}</dt>
              <dd className="border-t border-base-300 py-0.5 text-right">
                {choice.key in chosen && (
                  <span className="text-molten" title={t`Chosen in the recipe`}>
                    ◆{" "}
                  </span>
                )}
                {shown(settings[choice.key], choice.unit)}
              </dd>
            </div>
          ))}
        </dl>
      )}
      {frozen.spool && (
        <p className="mt-3 text-sm">
          <Trans>Spool: {frozen.spool.name}. {typeof frozen.spool.state?.says === "string" ? frozen.spool.state.says : ""}</Trans>
        </p>
      )}
      {causes.length > 0 && run.prediction && (
        <details className="mt-3 text-sm">
          <summary className="cursor-pointer"><Trans>Where the predicted seconds went</Trans></summary>
          <dl className="mt-1 grid grid-cols-[1fr_auto_auto] gap-x-3">
            {causes.map(([cause, seconds]) => (
              <div key={cause} className="contents">
                <dt>{cause.replace(/_s$/, "").replace(/_/g, " ")}</dt>
                <dd className="text-right">{formatDuration(seconds)}</dd>
                <dd className="text-right text-quiet">{percent(seconds / (run.predicted_s || 1))}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-1 text-quiet"><Trans>Engine {frozen.engine_version}.</Trans></p>
        </details>
      )}
    </section>
  );
}

function flat(nested: Record<string, unknown>, path = ""): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(nested).flatMap(([key, value]) =>
      value !== null && typeof value === "object" && !Array.isArray(value) ? Object.entries(flat(value as Record<string, unknown>, `${path}${key}.`)) : [[path + key, value]],
    ),
  );
}

function shown(value: unknown, unit: string): string {
  if (typeof value === "number") return unit === "%" ? percent(value) : `${Number(value.toFixed(3))} ${unit}`.trim();
  if (typeof value === "boolean") return value ? t`yes` : t`no`;
  return String(value).replace(/_/g, " ");
}
