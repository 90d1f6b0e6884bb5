import { t } from "@lingui/core/macro";
import type { Print, WayDescription } from "../../api/client";
import { formatDuration } from "../../lib/format";

/** Where a way leads, in a few words. */
export function wayWords(way: WayDescription): string {
  switch (way.kind) {
    case "folder":
      return t`into ${way.folder}`;
    case "web":
      return t`to ${way.url}${way.webdav ? t`, as WebDAV` : ""}`;
    case "console":
      return t`over the console at ${way.address}`;
    case "none":
      return t`not set yet`;
  }
  return way.kind satisfies never;
}

/** What a print is at, in a few words. */
export function stateWords(print: Print): string {
  switch (print.state) {
    case "sending":
      return t`being sent, ${Math.round((100 * print.sent_bytes) / Math.max(1, print.size_bytes))} %`;
    case "sent":
      return t`there, not started`;
    case "starting":
      return t`starting`;
    case "printing":
      if (print.heating) return t`heating`;
      return print.progress ? t`${Math.floor(100 * print.progress.share)} % done` : t`printing`;
    case "paused":
      return t`paused`;
    case "done":
      return print.real_s == null ? t`done` : t`done in ${formatDuration(print.real_s)}`;
    case "unknown":
      return t`ended, nobody knows how`;
    case "stopped":
      return t`stopped at once`;
    case "failed":
      return t`not sent`;
    case "handed":
      return t`started by hand`;
    case "left":
      return t`given up`;
  }
  return print.state satisfies never;
}

/** Real against planned so far: 1.04 is four percent behind; null before anything is known. */
export function behindShare(print: Print): number | null {
  const progress = print.progress;
  if (progress == null || progress.by === "plan" || progress.planned_s <= 0) return null;
  return progress.real_s / progress.planned_s - 1;
}

export interface LivePoint {
  real_min: number;
  planned?: number;
  seen?: number;
  band?: [number, number];
}

/**
 * The lines of a print's picture, shares of the plan over real minutes: as planned (a straight line by its own definition), as seen, and
 * from the last look on where the end may lie.
 */
export function livePoints(print: Print): LivePoint[] {
  const progress = print.progress;
  if (progress == null || progress.whole_s <= 0) return [];
  const whole = progress.whole_s;
  const share = (seconds: number) => Math.min(1, seconds / whole);
  const points: LivePoint[] = [
    { real_min: 0, planned: 0, seen: 0 },
    { real_min: whole / 60, planned: 1 },
  ];
  for (const look of print.looks) points.push({ real_min: look.printing_s / 60, seen: share(look.planned_s) });
  const at = { real_min: progress.real_s / 60, seen: progress.share, band: [progress.share, progress.share] as [number, number] };
  points.push(at);
  if (progress.left_s > 0) {
    // Of the fan to the end: how much may be done by each moment, at the slowest and at the quickest.
    for (let step = 1; step <= 12; step++) {
      const later = (progress.high_s * step) / 12;
      const left = 1 - progress.share;
      points.push({
        real_min: (progress.real_s + later) / 60,
        band: [progress.share + left * Math.min(1, later / progress.high_s), progress.share + left * Math.min(1, later / Math.max(1, progress.low_s))],
      });
    }
  }
  return points.sort((a, b) => a.real_min - b.real_min);
}
