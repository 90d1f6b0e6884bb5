import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, take, type DayRules } from "../api/client";
import { dayChanged, useDay, useHours } from "../api/day";
import { useHistory, type Step } from "../components/history";
import { useToast } from "../components/Toasts";
import { clock } from "../features/day/board";
import { DayTabs } from "../features/day/DayTabs";
import { useGate } from "../features/people/useGate";
import { ofWords } from "../lib/format";

const GOALS: Record<DayRules["order"][number], string> = {
  due: t`due dates met, nine times in ten`,
  pieces: t`pieces a day`,
  swaps: t`few changes of nozzle and spool`,
  nights: t`no long prints while nobody is there`,
  energy: t`energy by its hours' price`,
};

/** When somebody is there, and what matters more. */
export default function DayHoursPage() {
  const me = useGate();
  const may = me?.role !== "guest";
  const day = useDay();
  useEffect(() => {
    document.title = t`Hours · Mean Bead`;
  }, []);
  return (
    <div className="py-5">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="font-serif text-3xl"><Trans>Hours</Trans></h1>
        <DayTabs />
      </div>
      <p className="mt-1 text-quiet">
        <Trans>The hours of every week, and what taking a plate off takes, stand with the <Link className="underline" to="/house-rules">house rules</Link>; here is what differs, and how the plan weighs things.</Trans>
      </p>
      <div className="mt-3 grid gap-x-12 gap-y-6 lg:grid-cols-2">
        <Exceptions may={may} />
        {day.data && <Rules key={day.data.house_version} rules={day.data.rules as DayRules} version={day.data.house_version} may={may} />}
      </div>
    </div>
  );
}

function Exceptions({ may }: { may: boolean }) {
  const hours = useHours();
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const picker = useRef<HTMLInputElement>(null);
  const [name, setName] = useState("Away");
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const [there, setThere] = useState(false);
  const onError = (error: Error) => toast(error.message, { tone: "error" });
  const add = useMutation({
    mutationFn: async () => take(await api.POST("/api/hours", { body: { name, from_at: new Date(from).toISOString(), to_at: new Date(to).toISOString(), there } })),
    onSuccess: async (made) => {
      await dayChanged(queries);
      let standing = made;
      history.push({
        label: t`adding ${made.name}`,
        undo: async () => {
          standing = await takeOut(standing);
        },
        redo: async () => {
          standing = await putBack(standing);
        },
      });
    },
    onError,
  });
  const takeOut = async (one: { id: number; version: number }) => {
    const gone = take(await api.POST("/api/hours/{hours_id}/delete", { params: { path: { hours_id: one.id } }, body: { version: one.version } }));
    await dayChanged(queries);
    return gone;
  };
  const putBack = async (one: { id: number }) => {
    const back = take(await api.POST("/api/hours/{hours_id}/restore", { params: { path: { hours_id: one.id } } }));
    await dayChanged(queries);
    return back;
  };
  const remove = useMutation({
    mutationFn: takeOut,
    onSuccess: (gone) => {
      let standing = gone;
      const step: Step = {
        label: t`removing ${gone.name}`,
        undo: async () => {
          standing = await putBack(gone);
        },
        redo: async () => {
          standing = await takeOut(standing);
        },
      };
      history.push(step);
    },
    onError,
  });
  const bring = useMutation({
    mutationFn: async (text: string) => take(await api.POST("/api/hours/calendar", { body: { text } })),
    onSuccess: async (made) => {
      await dayChanged(queries);
      toast(t`${made.added} new, ${made.changed} changed, ${made.known} known already${made.left_out.length > 0 ? t`; not read: ${made.left_out.slice(0, 3).join("; ")}` : ""}.`);
    },
    onError,
  });
  const field = "input input-sm border-rule text-base-content";
  return (
    <section aria-labelledby="exceptions">
      <h2 id="exceptions" className="font-serif text-2xl">
        <Trans>Not as every week</Trans>
      </h2>
      <ul className="divide-y divide-rule text-sm">
        {hours.data?.map((one) => (
          <li key={one.id} className="flex items-baseline gap-3 py-1.5">
            <span className="min-w-0 flex-1">
              <Trans><strong className="font-semibold">{one.name}</strong>: {one.there ? t`somebody is there` : t`nobody is there`}, {date(one.from_at)} {clock(one.from_at)} to {date(one.to_at)} {clock(one.to_at)}</Trans>
              {one.source && <span className="text-quiet"> <Trans>(calendar)</Trans></span>}
            </span>
            <button type="button" className="btn btn-ghost btn-xs min-h-7 text-quiet" disabled={!may} aria-label={t`Remove ${one.name}, ${date(one.from_at)}`} onClick={() => remove.mutate(one)}>
              <Trans>Remove</Trans>
            </button>
          </li>
        ))}
        {hours.data?.length === 0 && <li className="py-1 text-quiet"><Trans>Every week is as every other.</Trans></li>}
      </ul>
      {may && (
        <form
          aria-label={t`Hours that differ`}
          className="mt-3 flex flex-wrap items-end gap-3 text-sm"
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate();
          }}
        >
          <label className="flex flex-col text-quiet">
            <Trans>What</Trans>
            <input className={`${field} w-32`} required maxLength={120} value={name} onChange={(event) => setName(event.target.value)} />
          </label>
          <label className="flex flex-col text-quiet">
            <Trans>From</Trans>
            <input className={`${field} w-52`} type="datetime-local" required value={from} onChange={(event) => setFrom(event.target.value)} />
          </label>
          <label className="flex flex-col text-quiet">
            <Trans>To</Trans>
            <input className={`${field} w-52`} type="datetime-local" required min={from} value={to} onChange={(event) => setTo(event.target.value)} />
          </label>
          <label className="flex min-h-8 items-center gap-1">
            <input type="checkbox" className="checkbox checkbox-xs" checked={there} onChange={(event) => setThere(event.target.checked)} />
            <Trans>somebody is there</Trans>
          </label>
          <button type="submit" className="btn btn-accent btn-sm" disabled={add.isPending}>
            <Trans>Add</Trans>
          </button>
        </form>
      )}
      {may && (
        <p className="mt-2 text-sm text-quiet">
          <button type="button" className="btn btn-ghost btn-xs min-h-7 font-normal underline" disabled={bring.isPending} onClick={() => picker.current?.click()}>
            <Trans>From a calendar file (.ics)</Trans>
          </button>{" "}
          <Trans>its entries are times when nobody is there; the same file again changes nothing</Trans>
          <input
            ref={picker}
            type="file"
            accept=".ics,text/calendar"
            className="hidden"
            aria-label={t`Calendar file`}
            onChange={(event) => {
              const file = event.target.files?.[0];
              event.target.value = "";
              if (file) void file.text().then((text) => bring.mutate(text));
            }}
          />
        </p>
      )}
    </section>
  );
}

function date(moment: string): string {
  return new Date(moment).toLocaleDateString(ofWords(), { day: "numeric", month: "short" });
}

/** The order of what matters, and what changes take. */
function Rules({ rules, version, may }: { rules: DayRules; version: number; may: boolean }) {
  const queries = useQueryClient();
  const toast = useToast();
  const history = useHistory();
  const write = async (next: DayRules, at: number) => {
    const made = take(await api.PATCH("/api/day/rules", { body: { version: at, rules: next } }));
    await dayChanged(queries);
    void queries.invalidateQueries({ queryKey: ["house-rules"] });
    return made.version;
  };
  const save = useMutation({
    mutationFn: async (next: DayRules) => ({ next, at: await write(next, version) }),
    onSuccess: ({ next, at }) => {
      let standing = at;
      history.push({
        label: t`changing how days are planned`,
        undo: async () => {
          standing = await write(rules, standing);
        },
        redo: async () => {
          standing = await write(next, standing);
        },
      });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const order = rules.order;
  const move = (place: number, by: number) => {
    const next = [...order];
    const [goal] = next.splice(place, 1);
    if (goal !== undefined) next.splice(place + by, 0, goal);
    save.mutate({ ...rules, order: next });
  };
  const number = (name: "nozzle_min" | "spool_min" | "dryer_spools" | "spool_full_g" | "days", label: string, min: number, max: number, unit: string) => (
    <label className="flex items-center justify-between gap-3 py-0.5">
      {label}
      <span>
        <input
          className="input input-sm w-24 border-rule text-right"
          type="number"
          min={min}
          max={max}
          disabled={!may}
          defaultValue={rules[name]}
          onBlur={(event) => {
            const value = Number(event.target.value);
            if (event.target.value !== "" && value >= min && value <= max && value !== rules[name]) save.mutate({ ...rules, [name]: value });
            else event.target.value = String(rules[name]);
          }}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />{" "}
        <span className="inline-block w-14 text-quiet">{unit}</span>
      </span>
    </label>
  );
  return (
    <section aria-labelledby="order">
      <h2 id="order" className="font-serif text-2xl">
        <Trans>What matters more</Trans>
      </h2>
      <ol className="text-sm">
        {order.map((goal, place) => (
          <li key={goal} className="flex items-center gap-2 border-b border-rule py-1">
            <span className="w-5 text-quiet">{place + 1}.</span>
            <span className="flex-1">{GOALS[goal]}</span>
            <button type="button" className="btn btn-ghost btn-xs min-h-7" disabled={!may || place === 0} aria-label={t`${GOALS[goal]}: more`} onClick={() => move(place, -1)}>
              ↑
            </button>
            <button type="button" className="btn btn-ghost btn-xs min-h-7" disabled={!may || place === order.length - 1} aria-label={t`${GOALS[goal]}: less`} onClick={() => move(place, 1)}>
              ↓
            </button>
          </li>
        ))}
      </ol>
      <div className="mt-3 text-sm">
        {number("nozzle_min", t`Another nozzle takes`, 0, 1440, "min")}
        {number("spool_min", t`Another spool takes`, 0, 1440, "min")}
        {number("dryer_spools", t`The dryer takes at once`, 1, 50, t`spools`)}
        {number("spool_full_g", t`A new spool holds`, 1, 50000, "g")}
        {number("days", t`Planned ahead`, 1, 14, t`days`)}
      </div>
      <Tariffs rules={rules} may={may} onSave={(tariffs) => save.mutate({ ...rules, tariffs })} />
    </section>
  );
}

/** Hours in which power costs something else than usual. */
function Tariffs({ rules, may, onSave }: { rules: DayRules; may: boolean; onSave: (tariffs: DayRules["tariffs"]) => void }) {
  const [from, setFrom] = useState("22");
  const [to, setTo] = useState("24");
  const [price, setPrice] = useState("");
  const field = "input input-xs min-h-7 w-16 border-rule text-right";
  return (
    <div className="mt-3 text-sm">
      <h3 className="font-semibold"><Trans>Hours with their own price of power</Trans></h3>
      <ul>
        {rules.tariffs.map((one, place) => (
          <li key={`${one.from_h}-${one.to_h}-${one.price}`} className="flex items-center gap-2">
            <span className="flex-1">
              <Trans>{one.from_h} to {one.to_h} o'clock: {one.price} a kWh</Trans>
            </span>
            <button type="button" className="btn btn-ghost btn-xs min-h-7 text-quiet" disabled={!may} aria-label={t`Remove the price from ${one.from_h} to ${one.to_h}`} onClick={() => onSave(rules.tariffs.filter((_, other) => other !== place))}>
              <Trans>Remove</Trans>
            </button>
          </li>
        ))}
      </ul>
      {may && (
        <form
          aria-label={t`A price by hours`}
          className="mt-1 flex flex-wrap items-center gap-2 text-quiet"
          onSubmit={(event) => {
            event.preventDefault();
            onSave([...rules.tariffs, { from_h: Number(from), to_h: Number(to), price: Number(price) }]);
            setPrice("");
          }}
        >
          <label className="flex items-center gap-2">
            <Trans>from</Trans> <input className={field} type="number" min={0} max={23.75} step={0.25} required value={from} onChange={(event) => setFrom(event.target.value)} />
          </label>
          <label className="flex items-center gap-2">
            <Trans>to</Trans> <input className={field} type="number" min={0.25} max={24} step={0.25} required value={to} onChange={(event) => setTo(event.target.value)} />
          </label>
          <label className="flex items-center gap-2">
            <Trans>a kWh costs</Trans> <input className={field} type="number" min={0} step={0.001} required value={price} onChange={(event) => setPrice(event.target.value)} />
          </label>
          <button type="submit" className="btn btn-outline btn-xs min-h-7 font-normal" disabled={Number(to) <= Number(from)}>
            <Trans>Add</Trans>
          </button>
        </form>
      )}
    </div>
  );
}
