import { t } from "@lingui/core/macro";
import { useEffect, useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { BoardMachine, BoardRun, Day } from "../../api/client";
import { formatDuration, ofWords } from "../../lib/format";
import { clock, HOUR_MS, keyOf, marks, momentAt, neighbour, xOf, type Way } from "./board";

const ROW_PX = 62;
const HEAD_PX = 34;
const NAME_PX = 128;
/** What is changed at a machine between two prints. */
const CHANGE = { plate: t`plate`, nozzle: t`nozzle`, spool: t`spool` };
const ARROWS: Record<string, Way> = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down", Home: "first", End: "last" };
const SIGN = { plate: "▱", nozzle: "▾", spool: "◎" };

interface Props {
  day: Day;
  /** So many days fill the width. */
  days: number;
  selected: string | null;
  onSelect: (run: BoardRun) => void;
  /** A run was put on a machine from a moment on; null where nobody may. */
  onPut: ((run: BoardRun, machine_id: number, start: Date) => void) | null;
}

/** Machines down, hours across, as on a ruled sheet: hours with nobody there are hatched, runs lie on their machine's line. */
export function Board({ day, days, selected, onSelect, onPut }: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const [wide, setWide] = useState(1000);
  useLayoutEffect(() => {
    const measure = () => setWide(Math.max(300, (frame.current?.clientWidth ?? 1000) - NAME_PX));
    measure();
    const watch = new ResizeObserver(measure);
    if (frame.current) watch.observe(frame.current);
    return () => watch.disconnect();
  }, []);
  const now = new Date(day.now).getTime();
  const from = now - 2 * HOUR_MS;
  const to = Math.max(new Date(day.until).getTime(), ...day.runs.map((run) => new Date(run.high_end).getTime()));
  const perHour = wide / (days * 24);
  const width = Math.max(wide, ((to - from) / HOUR_MS) * perHour);
  const x = (moment: string | number | Date) => xOf(moment, from, perHour);
  const ids = day.machines.map((machine) => machine.id);
  const ticks = useMemo(() => marks(from, to, perHour), [from, to, perHour]);
  const height = HEAD_PX + ROW_PX * day.machines.length;
  const first = day.runs.find((run) => keyOf(run) === selected) ?? day.runs[0];

  const focus = (run: BoardRun) => {
    onSelect(run);
    frame.current?.querySelector<HTMLElement>(`[data-run="${keyOf(run)}"]`)?.focus();
  };
  const press = (event: KeyboardEvent, run: BoardRun) => {
    const way = ARROWS[event.key];
    if (way === undefined || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    if (!event.altKey) focus(neighbour(day.runs, ids, run, way));
    if (!event.altKey || onPut === null) return;
    const start = new Date(run.start);
    if (way === "left" || way === "right") onPut(run, run.machine_id, new Date(start.getTime() + (way === "left" ? -0.5 : 0.5) * HOUR_MS));
    else {
      const machine = ids[ids.indexOf(run.machine_id) + (way === "up" ? -1 : 1)];
      if (machine !== undefined) onPut(run, machine, start);
    }
  };
  return (
    <div ref={frame} className="relative mt-3 flex border-y border-base-content/40">
      <ul className="shrink-0" style={{ width: NAME_PX, paddingTop: HEAD_PX }} aria-label={t`Machines`}>
        {day.machines.map((machine) => (
          <li key={machine.id} className="flex flex-col justify-center border-t border-rule pr-2 leading-tight" style={{ height: ROW_PX }}>
            <span className="truncate font-serif text-lg">{machine.name}</span>
            <span className="line-clamp-2 text-xs text-quiet" title={machine.holds}>
              {machine.holds || t`nothing fitted`}
            </span>
          </li>
        ))}
      </ul>
      <div className="relative min-w-0 flex-1 overflow-x-auto" tabIndex={0} role="group" aria-label={t`Board`}>
        <div className="relative" style={{ width, height }}>
          <Hours day={day} x={x} from={from} to={to} height={height} />
          {ticks.map((at) => (
            <span key={at.getTime()} aria-hidden className={`absolute top-0 bottom-0 border-l pl-1 text-[11px] leading-4 ${at.getHours() === 0 ? "border-base-content/50" : "border-rule/60"}`} style={{ left: x(at) }}>
              {at.getHours() === 0 ? <strong className="block whitespace-nowrap">{at.toLocaleDateString(ofWords(), { weekday: "short", day: "numeric", month: "short" })}</strong> : <span className="block pt-4 text-quiet">{at.getHours()}</span>}
            </span>
          ))}
          {day.machines.map((machine, row) => (
            <div key={machine.id} className="absolute right-0 left-0 border-t border-rule" style={{ top: HEAD_PX + row * ROW_PX, height: ROW_PX }}>
              {machine.running && <Running machine={machine} x={x} now={now} />}
              {day.runs
                .filter((run) => run.machine_id === machine.id)
                .map((run) => (
                  <RunBar
                    key={keyOf(run)}
                    run={run}
                    x={x}
                    selected={selected === keyOf(run)}
                    tabbed={first !== undefined && keyOf(first) === keyOf(run)}
                    onSelect={() => onSelect(run)}
                    onKey={(event) => press(event, run)}
                    onDrop={
                      onPut === null
                        ? null
                        : (dx, dy) => {
                            const target = ids[Math.min(ids.length - 1, Math.max(0, row + Math.round(dy / ROW_PX)))] ?? machine.id;
                            onPut(run, target, momentAt(x(run.start) + dx, from, perHour));
                          }
                    }
                  />
                ))}
            </div>
          ))}
          <span aria-hidden className="absolute bottom-0 border-l-2 border-molten" style={{ left: x(now), top: 16 }} />
        </div>
      </div>
    </div>
  );
}

/** Hours in which nobody is there, hatched. */
function Hours({ day, x, from, to, height }: { day: Day; x: (moment: string | number) => number; from: number; to: number; height: number }) {
  const away: [number, number][] = [];
  let at = from;
  for (const span of day.attended) {
    const [start, end] = [new Date(span.start).getTime(), new Date(span.end).getTime()];
    if (start > at) away.push([at, start]);
    at = Math.max(at, end);
  }
  if (at < to) away.push([at, to]);
  return (
    <svg aria-hidden className="absolute inset-0 text-base-content" width="100%" height={height}>
      <defs>
        <pattern id="away" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(35)">
          <rect width="7" height="7" fill="currentColor" opacity="0.05" />
          <line x1="0" y1="0" x2="0" y2="7" stroke="currentColor" strokeWidth="1" opacity="0.16" />
        </pattern>
      </defs>
      {away.map(([start, end]) => (
        <rect key={start} x={Math.max(0, x(start))} y={HEAD_PX} width={Math.max(0, x(end) - Math.max(0, x(start)))} height={height - HEAD_PX} fill="url(#away)" />
      ))}
    </svg>
  );
}

function Running({ machine, x, now }: { machine: BoardMachine; x: (moment: string | number) => number; now: number }) {
  const run = machine.running;
  if (!run) return null;
  const left = Math.max(0, x(run.started_at));
  const right = Math.max(x(run.high_end), x(now));
  const solid = Math.max(left + 2, x(run.low_end));
  return (
    <a
      href={`/log/${run.run_id}`}
      className="absolute top-2 bottom-2 block overflow-hidden rounded-l-[3px] border-l-4 border-molten px-1.5 text-xs leading-tight"
      style={{ left, width: Math.max(14, right - left), background: `linear-gradient(to right, var(--molten-wash) 0, var(--molten-wash) ${solid - left}px, transparent ${Math.max(solid, right) - left}px)` }}
      title={t`${run.name}: ${run.over ? t`ended` : t`ends`} ${clock(run.ends_at)} (${clock(run.low_end)} to ${clock(run.high_end)})`}
    >
      <strong className="block truncate">{run.name}</strong>
      <span className="block truncate">{run.over ? t`to be taken off` : t`until ${clock(run.ends_at)}`}</span>
    </a>
  );
}

interface BarProps {
  run: BoardRun;
  x: (moment: string | number) => number;
  selected: boolean;
  tabbed: boolean;
  onSelect: () => void;
  onKey: (event: KeyboardEvent) => void;
  onDrop: ((dx: number, dy: number) => void) | null;
}

/** A run: its changes as marks before it, its end as an edge that is as soft as it is uncertain. */
function RunBar({ run, x, selected, tabbed, onSelect, onKey, onDrop }: BarProps) {
  const [drag, setDrag] = useState<{ x: number; y: number; dx: number; dy: number } | null>(null);
  const left = x(run.start);
  const [low, high] = [x(run.low_end), x(run.high_end)];
  const width = Math.max(6, high - left);
  const solid = Math.max(4, low - left);
  const late = run.late_s > 0;
  const changes = run.changes.map((change) => `${CHANGE[change.kind]}: ${change.says}`).join(", ");
  const title = `${run.name}${run.plates > 1 ? ` ${run.plate}/${run.plates}` : ""}`;
  const size = `${run.pieces > 1 ? `${run.pieces} × ` : ""}${formatDuration((Date.parse(run.end) - Date.parse(run.start)) / 1000)}`;
  const label = t`${title} ${size}, ${run.machine}, ${clock(run.start)} to ${clock(run.end)}${late ? t`, late` : ""}${run.pinned ? t`, put there by hand` : ""}${changes ? t`; before it ${changes}` : ""}`;
  const down = (event: PointerEvent<HTMLButtonElement>) => {
    if (onDrop === null || event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setDrag({ x: event.clientX, y: event.clientY, dx: 0, dy: 0 });
  };
  const up = () => {
    if (drag && (Math.abs(drag.dx) > 5 || Math.abs(drag.dy) > ROW_PX / 2)) onDrop?.(drag.dx, drag.dy);
    setDrag(null);
  };
  useEffect(() => {
    if (drag === null) return;
    const escape = (event: globalThis.KeyboardEvent) => event.key === "Escape" && setDrag(null);
    window.addEventListener("keydown", escape);
    return () => window.removeEventListener("keydown", escape);
  }, [drag]);
  return (
    <>
      {run.changes.map((change) => (
        <span key={change.kind} aria-hidden className="absolute bottom-1 overflow-hidden border-b-2 border-secondary text-center text-[10px] leading-3 text-secondary" style={{ left: x(change.start), width: Math.max(5, x(change.end) - x(change.start)) }} title={`${CHANGE[change.kind]}: ${change.says}, ${formatDuration((Date.parse(change.end) - Date.parse(change.start)) / 1000)}`}>
          {x(change.end) - x(change.start) > 8 && SIGN[change.kind]}
        </span>
      ))}
      <button
        type="button"
        data-run={keyOf(run)}
        tabIndex={tabbed ? 0 : -1}
        aria-label={label}
        aria-pressed={selected}
        title={label}
        className={`absolute top-2 bottom-2 block touch-none overflow-hidden rounded-l-[3px] border-l-[3px] px-1.5 text-left text-xs leading-tight ${late ? "border-error" : "border-base-content"} ${selected ? "z-10 ring-2 ring-molten" : ""} ${drag ? "z-20 cursor-grabbing opacity-80" : onDrop ? "cursor-grab" : ""}`}
        style={{
          left,
          width,
          transform: drag ? `translate(${drag.dx}px, ${drag.dy}px)` : undefined,
          background: `linear-gradient(to right, var(--color-base-300) 0, var(--color-base-300) ${solid}px, transparent ${Math.max(width, solid + 1)}px)`,
        }}
        onClick={onSelect}
        onKeyDown={onKey}
        onPointerDown={down}
        onPointerMove={(event) => drag && setDrag({ ...drag, dx: event.clientX - drag.x, dy: event.clientY - drag.y })}
        onPointerUp={up}
        onPointerCancel={() => setDrag(null)}
      >
        <strong className={`block truncate ${late ? "text-error" : ""} ${run.pinned ? "before:content-['●_']" : ""}`}>{title}</strong>
        {width > 60 && <span className="block truncate">{size}</span>}
      </button>
    </>
  );
}
