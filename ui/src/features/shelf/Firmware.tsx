import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Machine, type Shelf } from "../../api/client";
import { keys, shelfChanged } from "../../api/queries";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";
import { inLine } from "../../lib/inLine";
import type { ShelfRows } from "./useShelfRows";

const SPEEDS = [9600, 57_600, 115_200, 230_400, 500_000, 1_000_000];
const COMMANDS = ["M503", "M503 S0", "M503 S1", "M115", "$$"] as const;

/** Take the limits from the machine itself: ask its console, or paste what the firmware reports. */
export function Firmware({ machine, rows, open }: { machine: Machine; rows: ShelfRows; open: boolean }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const [report, setReport] = useState("");
  const [address, setAddress] = useState<string | null>(null);
  const shownAddress = address ?? machine.console.address;

  const told = (ask: (now: Machine) => Promise<Machine>) =>
    inLine(t`machines ${machine.id}`, async () => {
      const before = queries.getQueryData<Shelf>(keys.shelf)?.machines.find((one) => one.id === machine.id) ?? machine;
      const after = await ask(before);
      queries.setQueryData<Shelf>(keys.shelf, (now) => now && { ...now, machines: now.machines.map((one) => (one.id === after.id ? after : one)) });
      await shelfChanged(queries);
      const write = (wanted: Machine) => async () => {
        const version = take(await api.GET("/api/shelf")).machines.find((one) => one.id === wanted.id)?.version ?? 0;
        const sources = { ...Object.fromEntries(Object.keys(after.sources).map((path) => [path, "typical" as const])), ...wanted.sources };
        take(await api.PATCH("/api/machines/{row_id}", { params: { path: { row_id: wanted.id } }, body: { version, printer: wanted.printer, sources, provenance: "set" } }));
        await shelfChanged(queries);
      };
      history.push({ label: t`what the firmware of ${machine.name} said`, undo: write(before), redo: write(after) });
    });
  const read = useMutation({
    mutationFn: () =>
      told(async (now) =>
        take(await api.POST("/api/machines/{machine_id}/firmware", { params: { path: { machine_id: now.id } }, body: { version: now.version, report } })),
      ),
    onSuccess: () => {
      setReport("");
      toast(t`${machine.name} now has its firmware's limits.`);
    },
  });
  const ask = useMutation({
    mutationFn: () =>
      told(async (now) =>
        take(await api.POST("/api/machines/{machine_id}/console", { params: { path: { machine_id: now.id } }, body: { version: now.version, address: shownAddress } })),
      ),
    onSuccess: () => toast(t`${machine.name} now has the limits that its console told.`),
  });
  const console = (change: Partial<Machine["console"]>) =>
    void rows
      .edit(
        machine,
        (now) => ({ console: { ...(now as Machine).console, ...change } }),
        (before) => ({ console: (before as Machine).console }),
        t`the console of ${machine.name}`,
      )
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  return (
    <details className="mt-4" open={open}>
      <summary className="cursor-pointer text-sm underline"><Trans>Take the limits from the firmware</Trans></summary>
      <form
        className="mt-2 flex flex-wrap items-center gap-2 text-sm"
        onSubmit={(event) => {
          event.preventDefault();
          ask.mutate();
        }}
      >
        <label htmlFor={`console-${machine.id}`}><Trans>Ask its console at</Trans></label>
        <input
          id={`console-${machine.id}`}
          className="w-64 border border-rule bg-base-100 px-2 py-1 font-mono"
          placeholder={t`192.168.1.20:23 or /dev/ttyUSB0`}
          autoComplete="off"
          spellCheck={false}
          value={shownAddress}
          onChange={(event) => setAddress(event.target.value)}
        />
        <label>
          <Trans>at</Trans>{" "}
          <select className="select select-xs w-28 border-rule bg-base-100" value={machine.console.baud} onChange={(event) => console({ baud: Number(event.target.value) })}>
            {SPEEDS.map((speed) => (
              <option key={speed} value={speed}>
                {t`${speed.toLocaleString()} baud`}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>with</Trans>{" "}
          <select className="select select-xs w-24 border-rule bg-base-100" value={machine.console.command} onChange={(event) => console({ command: event.target.value as Machine["console"]["command"] })}>
            {COMMANDS.map((command) => (
              <option key={command}>{command}</option>
            ))}
          </select>
        </label>
        <button type="submit" className="btn btn-outline btn-sm" disabled={shownAddress?.trim() === "" || ask.isPending}>
          {ask.isPending ? t`Listening …` : t`Ask`}
        </button>
        <span className="text-quiet"><Trans>It only asks; nothing moves or heats.</Trans></span>
      </form>
      {ask.isError && (
        <p role="alert" className="mt-1 text-error">
          {ask.error.message}
        </p>
      )}
      <p className="mt-2 max-w-2xl text-sm">
        <Trans>
          Or send <code>M503</code> on the console yourself and paste all that it answers. Lines that are not settings are
          passed over; what the report does not say stays as it is. Steps a millimetre (M92) give the full step of Z.
        </Trans>
      </p>
      <textarea
        className="mt-1 h-28 w-full max-w-2xl border border-rule bg-base-100 p-2 font-mono text-sm"
        aria-label={t`Firmware report of ${machine.name}`}
        placeholder={t`echo: M92 X80 Y80 Z400 E93\necho: M201 X3000 Y2500 Z100 E10000\necho: M204 P900 R1400 T1600\necho: M205 X8 Y8 Z0.4 E5`}
        value={report}
        onChange={(event) => setReport(event.target.value)}
      />
      <div>
        <button type="button" className="btn btn-outline btn-sm" disabled={report.trim() === "" || read.isPending} onClick={() => read.mutate()}>
          <Trans>Read the settings</Trans>
        </button>
      </div>
      {read.isError && (
        <p role="alert" className="mt-1 text-error">
          {read.error.message}
        </p>
      )}
    </details>
  );
}
