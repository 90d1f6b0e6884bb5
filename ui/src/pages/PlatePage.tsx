import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, type HeadBox, type Plate, type PlateChecked, type PlateItem } from "../api/client";
import { addToQueue, dayChanged, usePlate } from "../api/day";
import { dayKeys } from "../api/dayKeys";
import { useJob } from "../api/jobs";
import { Explained } from "../components/Explained";
import { JobBar } from "../components/JobBar";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";
import { DayTabs } from "../features/day/DayTabs";
import { moved, pathOf, round } from "../features/day/plate";
import { useGate } from "../features/people/useGate";
import { formatDuration, formatGrams, formatMoney } from "../lib/format";

/** One plate from above: parts where they stand, moved by hand and checked at once; the whole and each part's share. */
export default function PlatePage() {
  const id = Number(useParams().plateId);
  const found = usePlate(id);
  const me = useGate();
  useEffect(() => {
    document.title = t`${found.data?.name ?? t`Plate`} · Mean Bead`;
  }, [found.data?.name]);
  if (found.isLoadingError) return <p className="py-6 text-error">{found.error.message}</p>;
  if (!found.data) return <p className="py-6 text-quiet"><Trans>Laying it out …</Trans></p>;
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl">{found.data.name}</h1>
        <DayTabs />
      </div>
      <p className="text-quiet">
        <Trans><Plural value={found.data.items} one="# part" other="# parts" /> on {found.data.machine}, by {found.data.recipe}</Trans>
      </p>
      <Editor key={id} plate={found.data as Plate} may={me?.role !== "guest"} />
    </div>
  );
}

type Change = Omit<Parameters<typeof patch>[1], "version">;

async function patch(plate: { id: number; version: number }, body: { version: number; items?: PlateItem[]; order?: "by_layer" | "one_by_one"; gap_mm?: number | null; head?: HeadBox; name?: string }): Promise<Plate> {
  return take(await api.PATCH("/api/plates/{plate_id}", { params: { path: { plate_id: plate.id } }, body })) as Plate;
}

function Editor({ plate, may }: { plate: Plate; may: boolean }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const [items, setItems] = useState<PlateItem[] | null>(null);
  const [checked, setChecked] = useState<PlateChecked | null>(null);
  const [selected, setSelected] = useState<number | null>(null);
  const shown = items ?? (plate.placed as PlateItem[]);
  const verdict = checked ?? plate.checked;
  const known = useRef(plate);
  useEffect(() => {
    known.current = plate;
  }, [plate]);
  const store = (made: Plate) => {
    known.current = made;
    queries.setQueryData(dayKeys.plate(made.id), made);
    setItems(null);
    setChecked(null);
  };
  const save = useMutation({
    mutationFn: async (change: Change) => ({ before: plate, change, made: await patch(known.current, { version: known.current.version, ...change }) }),
    onSuccess: ({ before, change, made }) => {
      store(made);
      void queries.invalidateQueries({ queryKey: dayKeys.plates });
      const back: Change = { ...(change.items ? { items: before.placed as PlateItem[] } : {}), ...(change.order ? { order: before.order } : {}), ...("gap_mm" in change ? { gap_mm: before.own_gap ? before.gap_mm : null } : {}), ...(change.head ? { head: before.head as HeadBox } : {}) };
      history.push({
        label: t`changing the plate`,
        undo: async () => store(await patch(known.current, { version: known.current.version, ...back })),
        redo: async () => store(await patch(known.current, { version: known.current.version, ...change })),
      });
    },
    onError: (error) => {
      toast(error.message, { tone: "error" });
      setItems(null);
      setChecked(null);
      void queries.invalidateQueries({ queryKey: dayKeys.plate(plate.id) });
    },
  });
  const turn = useRef(0);
  const check = async (next: PlateItem[]) => {
    const mine = ++turn.current;
    const answer = await api.POST("/api/plates/{plate_id}/check", { params: { path: { plate_id: plate.id } }, body: { items: next } });
    if (mine === turn.current && answer.data) setChecked(answer.data);
  };
  const later = useRef<ReturnType<typeof setTimeout>>(undefined);
  const change = (next: PlateItem[], now = false) => {
    setItems(next);
    void check(next);
    clearTimeout(later.current);
    later.current = setTimeout(() => save.mutate({ items: next }), now ? 0 : 700);
  };
  /** What is still to be stored of moves by hand is not: something else takes its place. */
  const drop = () => {
    clearTimeout(later.current);
    turn.current++;
  };
  const work = useJob(["plate", plate.digest], async () => take(await api.POST("/api/plates/{plate_id}/estimate", { params: { path: { plate_id: plate.id } } })));
  const good = verdict.troubles.length === 0 && shown.length > 0;
  const ready = good && items === null;
  const { start } = work;
  const asked = useRef("");
  useEffect(() => {
    if (!ready || asked.current === plate.digest) return;
    asked.current = plate.digest;
    start();
  }, [ready, plate.digest, start]);
  const wrong = new Set(verdict.troubles.flatMap((one) => one.items));
  return (
    <div className="mt-3 grid gap-x-8 gap-y-4 lg:grid-cols-[minmax(0,6fr)_minmax(0,5fr)]">
      <div>
        <Bed plate={plate} items={shown} wrong={wrong} order={verdict.order} selected={selected} may={may} onSelect={setSelected} onChange={change} onRemove={(place) => { setSelected(null); change(shown.filter((_, other) => other !== place), true); }} />
        <p className="text-xs text-quiet"><Trans>Drag a part, or arrows (Shift: 10 mm); R turns it by 15°; Delete takes it off. {round(plate.bed_mm[0])} × {round(plate.bed_mm[1])} mm.</Trans></p>
      </div>
      <div>
        <div role="status">
          {verdict.troubles.map((one) => (
            <p key={`${one.kind}-${one.items.join()}`} className="text-error">
              {one.items.map((place) => `${place + 1} (${nameOf(plate, shown[place])})`).join(" and ")} {one.says}.
            </p>
          ))}
          {good && <p className="text-success"><Trans>Everything stands free.</Trans></p>}
        </div>
        <JobBar work={work} what={t`Estimating the plate`} />
        {work.job?.plate && ready && <Shares plate={plate} found={work.job.plate} items={shown} />}
        {may && <Settings plate={plate} busy={save.isPending || items !== null} onBegin={drop} onSave={(next) => save.mutate(next)} onArranged={store} />}
        {may && <QueueIt plate={plate} ready={ready} />}
      </div>
    </div>
  );
}

function nameOf(plate: Plate, item: PlateItem | undefined): string {
  return plate.kinds.find((kind) => kind.part_id === item?.part_id)?.name ?? t`a part`;
}

interface BedProps {
  plate: Plate;
  items: PlateItem[];
  wrong: ReadonlySet<number>;
  order: readonly number[];
  selected: number | null;
  may: boolean;
  onSelect: (place: number | null) => void;
  onChange: (items: PlateItem[], now?: boolean) => void;
  onRemove: (place: number) => void;
}

/** The bed from above, to scale. */
function Bed({ plate, items, wrong, order, selected, may, onSelect, onChange, onRemove }: BedProps) {
  const frame = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ place: number; x: number; y: number; from: PlateItem } | null>(null);
  const [wide, deep] = plate.bed_mm;
  const scale = () => (wide + 8) / (frame.current?.clientWidth ?? 500);
  const set = (place: number, item: PlateItem) => items.map((other, at) => (at === place ? item : other));
  const press = (event: KeyboardEvent, place: number) => {
    const item = items[place];
    if (!may || item === undefined || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "Delete") {
      onRemove(place);
      return;
    }
    const next = moved(item, event.key, event.shiftKey);
    if (next === null) return;
    event.preventDefault();
    onChange(set(place, next));
  };
  const down = (event: PointerEvent<SVGPathElement>, place: number) => {
    const from = items[place];
    onSelect(place);
    if (!may || from === undefined || event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setDrag({ place, x: event.clientX, y: event.clientY, from });
  };
  const at = (event: PointerEvent) => drag && { ...drag.from, x_mm: round(drag.from.x_mm + (event.clientX - drag.x) * scale()), y_mm: round(drag.from.y_mm - (event.clientY - drag.y) * scale()) };
  return (
    <svg ref={frame} viewBox={`${-wide / 2 - 4} ${-deep / 2 - 4} ${wide + 8} ${deep + 8}`} className="max-h-[68vh] w-full touch-none" role="group" aria-label={t`The bed from above`}>
      <defs>
        <pattern id="bed" width="10" height="10" patternUnits="userSpaceOnUse">
          <path d="M10 0H0V10" fill="none" stroke="var(--rule)" strokeWidth="0.25" />
        </pattern>
      </defs>
      <rect x={-wide / 2} y={-deep / 2} width={wide} height={deep} fill="url(#bed)" stroke="var(--color-base-content)" strokeWidth="0.7" />
      {items.map((item, place) => {
        const kind = plate.kinds.find((one) => one.part_id === item.part_id);
        if (!kind) return null;
        const bad = wrong.has(place);
        return (
          <g key={place}>
            <path
              d={pathOf(kind.rings, item)}
              fillRule="evenodd"
              tabIndex={0}
              role="button"
              aria-label={t`Part ${place + 1}, ${kind.name}, at ${round(item.x_mm)}, ${round(item.y_mm)} mm${item.turn_deg ? t`, turned ${item.turn_deg}°` : ""}${bad ? t`, something is wrong` : ""}`}
              className={`${may ? "cursor-move" : ""} outline-none focus-visible:stroke-[var(--molten)]`}
              fill={bad ? "var(--color-error)" : "var(--color-secondary)"}
              fillOpacity={place === selected ? 0.75 : bad ? 0.5 : 0.4}
              stroke={place === selected ? "var(--molten)" : bad ? "var(--color-error)" : "var(--color-base-content)"}
              strokeWidth={place === selected ? 1.2 : 0.5}
              onFocus={() => onSelect(place)}
              onKeyDown={(event) => press(event, place)}
              onPointerDown={(event) => down(event, place)}
              onPointerMove={(event) => {
                const next = at(event);
                if (drag?.place === place && next) onChange(set(place, next));
              }}
              onPointerUp={(event) => {
                const next = at(event);
                if (drag?.place === place && next && (next.x_mm !== drag.from.x_mm || next.y_mm !== drag.from.y_mm)) onChange(set(place, next), true);
                setDrag(null);
              }}
            />
            <text x={item.x_mm} y={-item.y_mm} textAnchor="middle" dominantBaseline="central" fontSize={Math.max(4, wide / 48)} fill="var(--color-base-content)" pointerEvents="none">
              {order.length > 0 ? `${order.indexOf(place) + 1}.` : place + 1}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

function Shares({ plate, found, items }: { plate: Plate; found: { estimate: { print_time_s: number; whole_time_s: number; filament_g: number; cost: number; interval: { low_s: number; high_s: number; expected_s?: number | null } }; shares: { item: number; time_s: number; filament_g: number; cost: number }[] }; items: PlateItem[] }) {
  const { estimate } = found;
  return (
    <section aria-labelledby="shares" className="mt-2">
      <p>
        <Explained how={t`Every stroke of all parts, in the order in which the plate lays them, run through the limits of the machine. Heating comes on top.`}><span className="font-serif text-4xl">{formatDuration(estimate.print_time_s)}</span></Explained> <span className="text-lg">{formatGrams(estimate.filament_g)}</span> <span className="text-quiet">{formatMoney(estimate.cost)}</span>
      </p>
      <p className="text-sm text-quiet">
        <Trans>here {formatDuration(estimate.interval.low_s)} to {formatDuration(estimate.interval.high_s)}; with heating {formatDuration(estimate.whole_time_s)}</Trans>
      </p>
      <h2 id="shares" className="mt-2 font-serif text-xl">
        <Trans>Each part's share</Trans>
      </h2>
      <table className="w-full text-sm">
        <thead className="sr-only">
          <tr>
            <th scope="col"><Trans>Part</Trans></th>
            <th scope="col"><Trans>Time</Trans></th>
            <th scope="col"><Trans>Filament</Trans></th>
            <th scope="col"><Trans>Cost</Trans></th>
          </tr>
        </thead>
        <tbody>
          {found.shares.map((share) => (
            <tr key={share.item} className="border-b border-rule text-right">
              <th scope="row" className="py-0.5 text-left font-normal">
                {share.item + 1} {nameOf(plate, items[share.item])}
              </th>
              <td>{formatDuration(share.time_s)}</td>
              <td>{formatGrams(share.filament_g)}</td>
              <td>{formatMoney(share.cost)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const HEAD: readonly [keyof HeadBox, string][] = [
  ["left_mm", t`left of the nozzle`],
  ["right_mm", "right"],
  ["front_mm", t`in front`],
  ["back_mm", "behind"],
  ["gantry_mm", t`gantry above the tip`],
  ["gantry_deep_mm", t`gantry to front and back`],
];

function Settings({ plate, busy, onBegin, onSave, onArranged }: { plate: Plate; busy: boolean; onBegin: () => void; onSave: (change: Change) => void; onArranged: (made: Plate) => void }) {
  const toast = useToast();
  const [counts, setCounts] = useState<Record<number, number>>({});
  const arrange = useMutation({
    mutationFn: async () => take(await api.POST("/api/plates/{plate_id}/arrange", { params: { path: { plate_id: plate.id } }, body: { version: plate.version, counts: Object.fromEntries(plate.kinds.map((kind) => [kind.part_id, counts[kind.part_id] ?? kind.count])) } })),
    onSuccess: ({ left_out, ...made }) => {
      onArranged(made as Plate);
      setCounts({});
      if (left_out > 0) toast(t`${left_out} found no room.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <div className="mt-3 text-sm">
      <div className="join" role="group" aria-label={t`Order of printing`}>
        {([["by_layer", t`layer by layer`], ["one_by_one", t`one after the other`]] as const).map(([order, name]) => (
          <button key={order} type="button" aria-pressed={plate.order === order} disabled={busy} className={`btn join-item btn-xs min-h-7 font-normal ${plate.order === order ? "btn-neutral" : "btn-outline"}`} onClick={() => plate.order !== order && onSave({ order })}>
            {name}
          </button>
        ))}
      </div>
      <div className="mt-2 flex flex-wrap items-end gap-x-4 gap-y-1">
        {plate.kinds.map((kind) => (
          <label key={kind.part_id} className="flex items-center gap-2">
            {kind.name}
            <input className="input input-xs min-h-7 w-16 border-rule text-right" type="number" min={0} max={200} value={counts[kind.part_id] ?? kind.count} onChange={(event) => setCounts({ ...counts, [kind.part_id]: Number(event.target.value) })} />
          </label>
        ))}
        <button type="button" className="btn btn-outline btn-xs min-h-7 font-normal" disabled={arrange.isPending || plate.kinds.length === 0}
          onClick={() => {
            onBegin();
            arrange.mutate();
          }}
        >
          <Trans>Lay them anew</Trans>
        </button>
        <label className="flex items-center gap-2">
          <Trans>apart</Trans>
          <input
            key={plate.version}
            className="input input-xs min-h-7 w-16 border-rule text-right"
            type="number"
            min={0}
            max={200}
            step={0.5}
            defaultValue={plate.gap_mm}
            onBlur={(event) => {
              const value = Number(event.target.value);
              if (event.target.value === "") onSave({ gap_mm: null });
              else if (value !== plate.gap_mm && value >= 0 && value <= 200) onSave({ gap_mm: value });
            }}
          />
          mm
        </label>
      </div>
      {plate.order === "one_by_one" && (
        <details className="mt-2" open>
          <summary className="cursor-pointer"><Trans>The head of {plate.machine}, mm from the nozzle</Trans></summary>
          <p className="text-xs text-warning"><Trans>Typical figures: measure yours with everything that hangs on the head. A head that hits a part breaks it, or itself: stay there for the first one.</Trans></p>
          <div className="grid grid-cols-2 gap-x-6">
            {HEAD.map(([name, label]) => (
              <label key={name} className="flex items-center justify-between gap-2 py-0.5">
                {label}
                <input
                  key={plate.version}
                  className="input input-xs min-h-7 w-20 border-rule text-right"
                  type="number"
                  min={0}
                  max={1000}
                  defaultValue={plate.head[name]}
                  onBlur={(event) => {
                    const value = Number(event.target.value);
                    if (value !== plate.head[name]) onSave({ head: { ...(plate.head as HeadBox), [name]: value } });
                  }}
                />
              </label>
            ))}
          </div>
        </details>
      )}
    </div>
  );
}

function QueueIt({ plate, ready }: { plate: Plate; ready: boolean }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const toast = useToast();
  const key = useRef(crypto.randomUUID());
  const [times, setTimes] = useState("1");
  const add = useMutation({
    mutationFn: () => addToQueue({ key: key.current, plate_id: plate.id, quantity: Number(times), priority: 0, may_pick: false, machine_ids: [], note: "" }),
    onSuccess: async () => {
      key.current = crypto.randomUUID();
      await dayChanged(queries);
      void navigate("/day/queue");
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <p className="mt-4 flex flex-wrap items-center gap-3 border-t border-rule pt-3 text-sm">
      <button type="button" className="btn btn-accent btn-sm" disabled={!ready || add.isPending} onClick={() => add.mutate()}>
        <Trans>Queue it</Trans>
      </button>
      <label className="flex items-center gap-2">
        <input className="input input-sm w-16 border-rule text-right" type="number" min={1} max={400} value={times} onChange={(event) => setTimes(event.target.value)} /> <Trans>times</Trans>
      </label>
      {plate.part_id != null && (
        <Link className="underline" to={`/parts/${plate.part_id}/layers`}>
          <Trans>its layers</Trans>
        </Link>
      )}
    </p>
  );
}
