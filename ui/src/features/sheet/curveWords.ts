import { t } from "@lingui/core/macro";
import type { RowCurve } from "../../api/client";
import { formatDurationDifference } from "../../lib/format";

/** What a whole curve says, in a sentence. */
export function bendInWords(curve: Pick<RowCurve, "bend" | "points" | "now">, shown: (value: number) => string, unit: string): string {
  const { bend } = curve;
  if (!bend) return t`Nothing to win here: no other value saves more time than a sample of layers may be off by.`;
  const whole = formatDurationDifference(-bend.saves_s);
  if (bend.value === bend.best) return t`${whole} at ${shown(bend.best)} ${unit}, and no sooner.`;
  return t`Eight tenths of the saving are had at ${shown(bend.value)} ${unit}: ${formatDurationDifference(-bend.has_s)} of ${whole} at ${shown(bend.best)} ${unit}.`;
}

const STEPS_MIN = [0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 240, 480];

/** Round minutes around a range, three to five of them. */
export function minuteTicks(least: number, most: number): number[] {
  if (!Number.isFinite(least) || !Number.isFinite(most)) return [0, 1];
  const step = STEPS_MIN.find((one) => Math.floor(most / one) - Math.floor(least / one) <= 3) ?? 960;
  const first = Math.floor(least / step);
  const last = Math.max(first + 1, Math.ceil(most / step));
  return Array.from({ length: last - first + 1 }, (_, at) => (first + at) * step);
}
