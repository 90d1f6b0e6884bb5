import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import { api, take, type FileOptions, type Machine, type Sending, type WayDescription } from "../api/client";
import { printKeys } from "../api/printKeys";
import { useSending } from "../api/prints";
import { keys, useShelf } from "../api/queries";
import { Routines } from "../features/shelf/Routines";
import { useShelfRows } from "../features/shelf/useShelfRows";
import { useToast } from "../components/Toasts";

/** How files are written for a machine, and how they get there. */
export default function SendingPage() {
  const machine_id = Number(useParams().machineId);
  const sending = useSending(machine_id);
  const machine = useShelf().data?.machines.find((one) => one.id === machine_id);
  useEffect(() => {
    document.title = sending.data ? t`Files for ${sending.data.name} · Mean Bead` : "Mean Bead";
  }, [sending.data]);
  if (sending.isLoadingError) return <p className="py-10 text-error">{sending.error.message}</p>;
  if (sending.data === undefined) return <p className="py-10 text-quiet"><Trans>One moment …</Trans></p>;
  return (
    <div className="max-w-5xl py-5">
      <p className="text-sm">
        <Link to={`/shelf?kind=machines&row=${machine_id}`} className="underline">
          <Trans>Shelf</Trans>
        </Link>
      </p>
      <h1 className="font-serif text-3xl"><Trans>Files for {sending.data.name}</Trans></h1>
      <div className="mt-4 grid gap-x-12 gap-y-8 md:grid-cols-2">
        <Way key={`way-${sending.data.version}`} sending={sending.data} />
        <Written sending={sending.data} />
      </div>
      {machine && <Texts machine={machine} />}
    </div>
  );
}

/** Every way that there is, or this does not compile. */
const KINDS = {
  none: { name: t`By hand`, says: t`You take the file from the page.` },
  folder: { name: t`A folder`, says: t`A card in a reader, or a share, of the computer that Mean Bead runs on.` },
  web: { name: t`A store over HTTP`, says: t`The machine, or a computer beside it, takes files by PUT or as WebDAV.` },
  console: { name: t`The machine's console`, says: t`Over the network or a cable. Sends, starts, follows, pauses and stops.` },
} satisfies Record<WayDescription["kind"], { name: string; says: string }>;

function useEditSending(sending: Sending) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (change: { way?: WayDescription; options?: FileOptions; token?: string }) =>
      take(await api.PUT("/api/machines/{machine_id}/sending", { params: { path: { machine_id: sending.machine_id } }, body: { version: sending.version, ...change } })),
    onSuccess: (told) => {
      queries.setQueryData(printKeys.sending(sending.machine_id), told);
      void queries.invalidateQueries({ queryKey: keys.shelf });
    },
  });
}

function Way({ sending }: { sending: Sending }) {
  const toast = useToast();
  const [way, setWay] = useState(sending.way);
  const [token, setToken] = useState<string | null>(null);
  const edit = useEditSending(sending);
  const test = useMutation({ mutationFn: async () => take(await api.POST("/api/machines/{machine_id}/way-test", { params: { path: { machine_id: sending.machine_id } } })) });
  const changed = JSON.stringify(way) !== JSON.stringify(sending.way) || token !== null;
  const set = (change: Partial<WayDescription>) => setWay((now) => ({ ...now, ...change }));
  const input = "input input-sm mt-0.5 block w-full border-rule bg-base-100";
  return (
    <form
      aria-labelledby="way"
      onSubmit={(event) => {
        event.preventDefault();
        edit.mutate(
          { way, ...(token === null ? {} : { token }) },
          {
            onSuccess: () => {
              setToken(null);
              toast(t`Kept.`);
            },
          },
        );
      }}
    >
      <h2 id="way" className="font-serif text-2xl">
        <Trans>How they get there</Trans>
      </h2>
      <fieldset className="mt-2">
        <legend className="sr-only"><Trans>Way</Trans></legend>
        {(Object.keys(KINDS) as (keyof typeof KINDS)[]).map((kind) => ({ kind, ...KINDS[kind] })).map((one) => (
          <label key={one.kind} className="flex min-h-8 items-baseline gap-2">
            <input type="radio" name="kind" className="radio radio-xs translate-y-0.5" checked={way.kind === one.kind} onChange={() => set({ kind: one.kind })} />
            <span>
              {one.name} <span className="text-sm text-quiet">{one.says}</span>
            </span>
          </label>
        ))}
      </fieldset>
      <div className="mt-2 flex flex-col gap-2 text-sm">
        {way.kind === "folder" && (
          <label>
            <Trans>Folder, from the root on</Trans>
            <input className={input} value={way.folder} placeholder="/media/card" onChange={(event) => set({ folder: event.target.value })} />
          </label>
        )}
        {way.kind === "web" && (
          <>
            <label>
              <Trans>Address</Trans>
              <input className={input} value={way.url} placeholder="https://printer.home.arpa/files/" onChange={(event) => set({ url: event.target.value })} />
            </label>
            <label className="flex min-h-7 items-center gap-2">
              <input type="checkbox" className="checkbox checkbox-sm" checked={way.webdav} onChange={(event) => set({ webdav: event.target.checked })} />
              <Trans>It speaks WebDAV: a file bears its name only once it is whole</Trans>
            </label>
            <label>
              <Trans>Token <span className="text-quiet">{sending.has_token ? t`one is kept, sealed; it is never shown again` : t`where the store wants one; over https only`}</span></Trans>
              <input className={input} type="password" autoComplete="off" value={token ?? ""} placeholder={sending.has_token ? t`unchanged` : ""} onChange={(event) => setToken(event.target.value)} />
            </label>
            {sending.has_token && (
              <button type="button" className="btn btn-ghost btn-xs min-h-7 self-start font-normal underline" onClick={() => edit.mutate({ token: "" })}>
                <Trans>Forget the token</Trans>
              </button>
            )}
            <details>
              <summary className="cursor-pointer underline"><Trans>Its own certificate, its own header</Trans></summary>
              <label className="mt-1 block">
                <Trans>Certificate of whoever signed the store's, as PEM</Trans>
                <textarea className="mt-0.5 block h-24 w-full border border-rule bg-base-100 p-2 font-mono text-xs" spellCheck={false} value={way.certificate} onChange={(event) => set({ certificate: event.target.value })} />
              </label>
              <label className="mt-1 block">
                <Trans>Header that the token goes in</Trans>
                <input className={input} value={way.token_header} onChange={(event) => set({ token_header: event.target.value })} />
              </label>
            </details>
          </>
        )}
        {way.kind === "console" && (
          <>
            <label>
              <Trans>Console, host and port or a serial device</Trans>
              <input className={input} value={way.address} placeholder={t`192.168.1.40:23 or /dev/ttyUSB0`} onChange={(event) => set({ address: event.target.value })} />
            </label>
            <label>
              <Trans>Speed of a serial line, baud</Trans>
              <input className={input} type="number" value={way.baud} onChange={(event) => set({ baud: Number(event.target.value) })} />
            </label>
          </>
        )}
        {(way.kind === "web" || way.kind === "console") && (
          <label className="flex items-baseline gap-2">
            <input type="checkbox" className="checkbox checkbox-sm translate-y-0.5" checked={way.allowed} onChange={(event) => set({ allowed: event.target.checked })} />
            <span>
              <Trans>
                The address may lie on this computer, or outside the workshop's own network
                <span className="block text-quiet">Usually not. Otherwise such addresses are refused, so that nothing is led where it should not go.</span>
              </Trans>
            </span>
          </label>
        )}
      </div>
      {edit.isError && (
        <p className="mt-2 text-sm text-error" role="alert">
          {edit.error.message}
        </p>
      )}
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <button type="submit" className="btn btn-accent btn-sm font-normal" disabled={!changed || edit.isPending}>
          <Trans>Keep it</Trans>
        </button>
        <button type="button" className="btn btn-outline btn-sm font-normal" disabled={changed || sending.way.kind === "none" || test.isPending} title={changed ? t`Keep it first` : undefined} onClick={() => test.mutate()}>
          {test.isPending ? t`Trying …` : t`Try it`}
        </button>
      </div>
      <p className={`mt-1 min-h-6 text-sm ${test.isError ? "text-error" : ""}`} aria-live="polite">
        {test.isError ? test.error.message : test.data?.says}
      </p>
    </form>
  );
}

const OPTIONS: { name: keyof FileOptions; label: string; options: { value: string; label: string; says: string }[] }[] = [
  {
    name: "accelerations",
    label: t`Accelerations`,
    options: [
      { value: "by_kind", label: t`printing and travel apart`, says: t`M204 with P and T: what most firmware takes.` },
      { value: "one", label: t`one for all`, says: t`M204 with S, said again at every change.` },
      { value: "own", label: t`none: the machine's own`, says: t`The file then takes what the machine's own accelerations make of it; the difference is told.` },
    ],
  },
  {
    name: "progress",
    label: t`Progress`,
    options: [
      { value: "percent", label: t`percent and minutes`, says: t`M73, for panels that show a bar.` },
      { value: "message", label: t`a line on the panel`, says: "M117." },
      { value: "none", label: t`none`, says: "" },
    ],
  },
  {
    name: "curves",
    label: t`Curves`,
    options: [
      { value: "segments", label: t`as segments`, says: t`Every firmware takes them, and they are what was planned.` },
      { value: "arcs", label: t`as arcs`, says: t`Smaller files and less work for the machine, where it takes G2 and G3; never more than a hundredth of a line from the plan, and no faster.` },
    ],
  },
  {
    name: "names",
    label: t`Names`,
    options: [
      { value: "long", label: t`part, nozzle, height, time`, says: "hook-04n-020h-2h05.gcode" },
      { value: "short", label: t`eight letters and three`, says: t`HOOK0420.GCO, for old card readers.` },
    ],
  },
];

function Written({ sending }: { sending: Sending }) {
  const toast = useToast();
  const edit = useEditSending(sending);
  return (
    <section aria-labelledby="written">
      <h2 id="written" className="font-serif text-2xl">
        <Trans>How they are written</Trans>
      </h2>
      <div className="mt-2 flex flex-col gap-3 text-sm">
        {OPTIONS.map((one) => (
          <label key={one.name}>
            {one.label}
            <select
              className="select select-sm mt-0.5 flex w-full border-rule bg-base-100"
              value={sending.options[one.name]}
              onChange={(event) => edit.mutate({ options: { ...sending.options, [one.name]: event.target.value } }, { onError: (error) => toast(error.message, { tone: "error" }) })}
            >
              {one.options.map((option) => (
                <option key={option.value} value={option.value}>
                  {option.label}
                </option>
              ))}
            </select>
            <span className="text-quiet">{one.options.find((option) => option.value === sending.options[one.name])?.says}</span>
          </label>
        ))}
      </div>
    </section>
  );
}

/** Start and end text, what may stand in them, and something to begin with. */
function Texts({ machine }: { machine: Machine }) {
  const rows = useShelfRows("machines");
  const toast = useToast();
  const words = useQuery({ queryKey: ["file-words"], queryFn: async () => take(await api.GET("/api/file-words")), staleTime: Infinity });
  const empty = !machine.printer.start_gcode?.trim() && !machine.printer.end_gcode?.trim();
  const begin = () =>
    rows
      .edit(
        machine,
        (now) => ({ printer: { ...(now as Machine).printer, start_gcode: words.data?.simple_start ?? "", end_gcode: words.data?.simple_end ?? "" } }),
        (before) => ({ printer: (before as Machine).printer }),
        t`start and end text of ${machine.name}`,
      )
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  return (
    <section aria-labelledby="texts" className="mt-8">
      <h2 id="texts" className="font-serif text-2xl">
        <Trans>Start and end text</Trans>
      </h2>
      <p className="max-w-prose text-sm text-quiet"><Trans>No file is written without them. Take the maker's own, and put words in braces where a print's figures belong.</Trans></p>
      {empty && (
        <button type="button" className="btn btn-outline btn-sm mt-2 font-normal" disabled={!words.data} onClick={() => void begin()}>
          <Trans>Begin with a simple one: heat, home, wait; switch off and lift</Trans>
        </button>
      )}
      <Routines machine={machine} rows={rows} open key={machine.version} />
      <details className="mt-3 text-sm">
        <summary className="cursor-pointer underline"><Trans>Words that may stand in braces</Trans></summary>
        <table className="mt-1">
          <caption className="sr-only"><Trans>Words, what they stand for, and what a usual print puts there</Trans></caption>
          <tbody>
            {words.data?.words.map((one) => (
              <tr key={one.word} className="border-b border-rule">
                <th scope="row" className="py-0.5 pr-4 text-left font-mono text-xs font-normal">
                  {`{${one.word}}`}
                </th>
                <td className="pr-4">{one.says}</td>
                <td className="text-quiet">
                  {one.example} {one.unit}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </section>
  );
}
